-- The collections that hold the copies of sounds, in ascending order; 0 for copies in no folder that was read.
create or replace function flagstone_collections_of(ids bigint[]) RETURNS TABLE (sound_id bigint, held int[]) LANGUAGE sql STABLE PARALLEL SAFE AS $$
  SELECT i.id, array(SELECT DISTINCT coalesce(w.collection_id, 0) FROM copies c LEFT JOIN folders w ON w.id = c.read_folder_id WHERE c.sound_id = i.id ORDER BY 1)
  FROM unnest(ids) i(id)
$$;
