-- Between two fields, two keywords and two steps of a path stand words that say nothing, so that a phrase does not begin in the one and end in the other.
create or replace function flagstone_search(r records, paths text) RETURNS tsvector LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  gap constant text := ' the of the ';
BEGIN
  RETURN setweight(to_tsvector('pg_catalog.english', flagstone_words(r.fx_name)), 'A') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(concat_ws(gap, '', nullif(array_to_string(r.keywords, gap), ''), nullif(r.cat_id, ''),
      nullif(r.category, ''), nullif(r.sub_category, '')))), 'B') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(concat_ws(gap, '', nullif(r.description, ''), nullif(r.notes, ''), nullif(r.user_category, ''),
      nullif(r.vendor_category, ''), nullif(r.user_data, ''), nullif(r.library, ''), nullif(r.source_id, ''), nullif(r.creator, ''), nullif(r.creator_id, ''),
      nullif(r.publisher, ''), nullif(r.copyright, ''), nullif(r.licence, ''), nullif(r.recorded_on, ''), nullif(r.location, ''),
      nullif(r.microphone, ''), nullif(r.project, ''), nullif(r.form, ''), nullif(r.key, ''), nullif(r.composer, '')))), 'C') ||
    setweight(to_tsvector('pg_catalog.english', flagstone_words(gap || replace(paths, '/', gap))), 'D');
END
$$;
