create or replace function flagstone_terms_of(field text, said text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  IF said = '' THEN RETURN ''; END IF;
  RETURN flagstone_terms_of(field, to_tsvector('pg_catalog.english', flagstone_words(said)));
END
$$;

-- The words of a field as terms, each after a control character, which belongs to no word. Nor does a sign of equality: nobody's words can be taken for those of a field.
create or replace function flagstone_terms_of(field text, words tsvector) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  code text := E'\x01' || flagstone_code(field) || '=';
BEGIN
  RETURN coalesce(code || nullif(array_to_string(tsvector_to_array(words), code), ''), '');
END
$$;
