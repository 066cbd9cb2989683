-- Sounds whose copies came to other collections, or whose folders did.
create or replace function flagstone_note_collections(ids bigint[]) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  IF ids = '{}' THEN RETURN; END IF;
  PERFORM FROM search_rows WHERE sound_id = ANY (ids) ORDER BY sound_id FOR UPDATE;
  PERFORM flagstone_make_sets(ids);
  UPDATE search_rows f SET collection_set = s.id
  FROM flagstone_collections_of(ids) h JOIN (SELECT collection_ids, min(id) AS id FROM collection_sets GROUP BY collection_ids) s ON s.collection_ids = h.held
  WHERE f.sound_id = h.sound_id AND (SELECT o.collection_ids FROM collection_sets o WHERE o.id = f.collection_set) <> h.held;
END
$$;
