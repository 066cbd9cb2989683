CREATE EXTENSION IF NOT EXISTS pg_trgm;
--> statement-breakpoint
CREATE EXTENSION IF NOT EXISTS unaccent;
--> statement-breakpoint
-- Words of names and paths: camelCase, digits and separators end a word, accents are dropped. The whole words stay too, so that
-- "CERMBrk" is found as itself and as "brk".
CREATE FUNCTION flagstone_words(input text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT public.unaccent('public.unaccent'::regdictionary, regexp_replace(input, '[^[:alnum:]'']+', ' ', 'g')) || ' ' ||
    public.unaccent('public.unaccent'::regdictionary,
      regexp_replace(
        regexp_replace(
          regexp_replace(input, '([[:lower:]])([[:upper:]])', '\1 \2', 'g'),
          '([[:upper:]])([[:upper:]][[:lower:]])', '\1 \2', 'g'),
        '[^[:alpha:]'']+', ' ', 'g'))
$$;
--> statement-breakpoint
-- The search vector of a record with the paths of its copies: A name, B keywords and category, C other fields, D paths.
CREATE FUNCTION flagstone_search(r records, paths text) RETURNS tsvector LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT setweight(to_tsvector('pg_catalog.english', flagstone_words(r.fx_name)), 'A') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(array_to_string(r.keywords, ' ') || ' ' || r.cat_id || ' ' || r.category || ' ' || r.sub_category)), 'B') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(concat_ws(' ', r.description, r.notes, r.user_category, r.vendor_category,
      r.user_data, r.library, r.source_id, r.creator, r.creator_id, r.publisher, r.copyright, r.licence, r.recorded_on, r.location,
      r.microphone, r.project, r.form, r.key, r.composer))), 'C') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(paths)), 'D')
$$;
--> statement-breakpoint
INSERT INTO collections (name) VALUES ('Effects');
