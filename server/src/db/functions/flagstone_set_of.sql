-- The number of a set of collections, the lowest where there are two.
create or replace function flagstone_set_of(held int[]) RETURNS int LANGUAGE sql STABLE PARALLEL SAFE AS $$
  SELECT min(id) FROM collection_sets WHERE collection_ids = held
$$;
