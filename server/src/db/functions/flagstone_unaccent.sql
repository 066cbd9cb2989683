-- Without accents. PostgreSQL's own function is not immutable by its own word, since its dictionary could be exchanged; ours never is, and so a
-- question is worked out once, when it is planned, and can use an index.
create or replace function flagstone_unaccent(input text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN public.unaccent('public.unaccent'::regdictionary, input);
END
$$;
