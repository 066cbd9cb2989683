-- The question for all of some words in a field. Without a word that says something it is empty, and nothing answers it.
create or replace function flagstone_asked(field text, words tsvector) RETURNS tsquery LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''' || replace(replace(term, '\', '\\'), '''', '''''') || '''', ' & '), '')::tsquery
    FROM unnest(string_to_array(flagstone_terms_of(field, words), E'\x01')) term WHERE term <> '');
END
$$;
