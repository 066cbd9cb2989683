-- The search row of a sound as it would be if its only copies were those in some collections: for whoever sees these and not the others.
create or replace function flagstone_seen_row(sound bigint, seen int[]) RETURNS search_rows LANGUAGE plpgsql STABLE PARALLEL SAFE AS $$
DECLARE
  f search_rows;
  r records;
  paths text;
BEGIN
  SELECT * INTO f FROM search_rows WHERE sound_id = sound;
  SELECT * INTO r FROM records WHERE sound_id = sound;
  SELECT string_agg(c.folder || '/' || c.name, ' ' ORDER BY c.id), count(*) FILTER (WHERE NOT c.gone) INTO paths, f.copies
  FROM copies c JOIN folders w ON w.id = c.read_folder_id WHERE c.sound_id = sound AND w.collection_id = ANY (seen);
  SELECT lower(left(c.name, 200)), lower(left(c.folder || '/' || c.name, 250)), c.container, c.drive_id,
    flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision)
  INTO f.name, f.path, f.container, f.drive_id, f.state
  FROM copies c JOIN folders w ON w.id = c.read_folder_id WHERE c.sound_id = sound AND w.collection_id = ANY (seen) ORDER BY c.gone, c.id LIMIT 1;
  f.search := flagstone_search(r, coalesce(paths, ''));
  f.terms := flagstone_terms(sound, seen);
  RETURN f;
END
$$;
