-- The whole value of a field, of one word or several: what a click into the index asks for. Long ones are compared where they stand.
create or replace function flagstone_whole(field text, said text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN CASE WHEN length(said) BETWEEN 1 AND 79 THEN E'\x01' || field || '==' || lower(said) ELSE '' END;
END
$$;
