-- The words of a text as they stand there, then as they are taken apart where small letters end and at figures, if that gives others. A word that says nothing stands between
-- the two: a phrase does not begin at the end of the one and end at the beginning of the other.
create or replace function flagstone_words(input text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  plain text;
  apart text;
BEGIN
  IF input IS NULL OR input = '' THEN RETURN ''; END IF;
  plain := btrim(regexp_replace(input, '[^[:alnum:]'']+', ' ', 'g'));
  IF input !~ '[[:digit:]]|[[:lower:]][[:upper:]]|[[:upper:]][[:upper:]][[:lower:]]' THEN RETURN public.unaccent('public.unaccent'::regdictionary, plain); END IF;
  apart := btrim(regexp_replace(
    regexp_replace(
      regexp_replace(input, '([[:lower:]])([[:upper:]])', '\1 \2', 'g'),
      '([[:upper:]])([[:upper:]][[:lower:]])', '\1 \2', 'g'),
    '[^[:alpha:]'']+', ' ', 'g'));
  RETURN public.unaccent('public.unaccent'::regdictionary, CASE WHEN apart IN ('', plain) THEN plain ELSE plain || ' the ' || apart END);
END
$$;
