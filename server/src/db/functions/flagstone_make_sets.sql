-- Makes the sets of collections that hold these sounds where there are none yet. Two who make the same one at once make two, which stand for the same.
create or replace function flagstone_make_sets(ids bigint[]) RETURNS void LANGUAGE sql AS $$
  INSERT INTO collection_sets (collection_ids) SELECT DISTINCT h.held FROM flagstone_collections_of(ids) h
  WHERE NOT EXISTS (SELECT FROM collection_sets s WHERE s.collection_ids = h.held) ORDER BY 1
$$;
