-- Everything that the fields of the search line find of a sound.
create or replace function flagstone_terms(sound bigint) RETURNS tsvector LANGUAGE sql STABLE PARALLEL SAFE AS $$
  SELECT flagstone_terms(sound, NULL)
$$;

-- The same of its copies in some collections alone.
create or replace function flagstone_terms(sound bigint, seen int[]) RETURNS tsvector LANGUAGE plpgsql STABLE PARALLEL SAFE AS $$
DECLARE
  r records;
  a record;
  terms text;
  all_terms text[];
BEGIN
  SELECT * INTO r FROM records WHERE sound_id = sound;
  -- A copy that was cleared away lies nowhere and stands in no state; by its name it is still found.
  SELECT string_agg(flagstone_terms_of('name', c.name) || flagstone_terms_of('folder', c.folder) || E'\x01container=' || lower(c.container)
    || CASE WHEN c.cleared_at IS NULL THEN E'\x01drive=' || c.drive_id || E'\x01state=' || flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision)
      || flagstone_places(c.drive_id, c.folder) ELSE '' END
    || CASE WHEN c.gone THEN '' ELSE flagstone_terms_of('infile', (SELECT string_agg(said, ' the of the ') FROM flagstone_file_texts(c.in_file, c.other_texts) said)) END, '')
  INTO terms FROM copies c WHERE c.sound_id = sound
    AND (seen IS NULL OR EXISTS (SELECT FROM folders w WHERE w.id = c.read_folder_id AND w.collection_id = ANY (seen)));
  SELECT lower(channel_layout) AS layout, (measures ->> 'clippedSamples')::bigint > 0 AS clipped, measures IS NOT NULL AND loudness_lufs IS NULL AS silent
  INTO a FROM analyses WHERE sound_id = sound;
  terms := concat(terms, flagstone_terms_of('catid', r.cat_id), flagstone_terms_of('category', r.category), flagstone_terms_of('subcategory', r.sub_category),
    flagstone_terms_of('usercategory', r.user_category), flagstone_terms_of('vendorcategory', r.vendor_category), flagstone_terms_of('fxname', r.fx_name),
    flagstone_terms_of('creatorid', r.creator_id), flagstone_terms_of('sourceid', r.source_id), flagstone_terms_of('userdata', r.user_data),
    flagstone_terms_of('description', r.description), flagstone_terms_of('keywords', array_to_string(r.keywords, ' ')), flagstone_terms_of('notes', r.notes),
    flagstone_terms_of('library', r.library), flagstone_terms_of('creator', r.creator), flagstone_terms_of('publisher', r.publisher),
    flagstone_terms_of('project', r.project), flagstone_terms_of('recordedon', r.recorded_on), flagstone_terms_of('location', r.location),
    flagstone_terms_of('microphone', r.microphone), flagstone_terms_of('copyright', r.copyright), flagstone_terms_of('licence', r.licence),
    flagstone_terms_of('licenceurl', r.licence_url), flagstone_terms_of('key', r.key), flagstone_terms_of('composer', r.composer),
    flagstone_whole('publisher', r.publisher), flagstone_whole('creator', r.creator),
    flagstone_whole('licence', r.licence), E'\x01layout=' || left(nullif(a.layout, ''), 100), CASE WHEN a.clipped THEN E'\x01is=clipped' END, CASE WHEN a.silent THEN E'\x01is=silent' END,
    CASE WHEN r.slices <> '' THEN E'\x01is=sliced' END);
  all_terms := array_remove(string_to_array(terms, E'\x01'), '');
  -- What is too long for a vector is left out.
  IF octet_length(terms) > 2000 THEN all_terms := array(SELECT term FROM unnest(all_terms) term WHERE octet_length(term) < 2000); END IF;
  RETURN array_to_tsvector(all_terms);
END
$$;
