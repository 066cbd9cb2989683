-- What a file says, a text each: the values of fields, and the texts that no field takes with the places that hold them. Cut, since nothing else bounds what stands in a file.
create or replace function flagstone_file_texts(in_file jsonb, other_texts jsonb) RETURNS SETOF text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT left(v #>> '{}', 2000) FROM jsonb_path_query(in_file - '{slices,syncPoints}'::text[], '$.*[*]') v
  UNION ALL SELECT unnest(array[key, value]) FROM jsonb_each_text(coalesce(other_texts, '{}'))
$$;
