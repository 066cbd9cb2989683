-- The words of names, keywords and categories. A function of our own, so that it can say what it costs: PostgreSQL takes its own for nothing, and goes through
-- twenty thousand sounds by merit rather than sort the five thousand that its index of words knows. Not for parallel work, which costs more than it saves here.
create or replace function flagstone_names(words tsvector) RETURNS tsvector LANGUAGE plpgsql IMMUTABLE COST 300 AS $$
BEGIN
  RETURN ts_filter(words, '{a,b}');
END
$$;
