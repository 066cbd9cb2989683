-- A folder of a drive: a few letters that no other has, whatever the length of its path.
create or replace function flagstone_place(drive uuid, folder text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT left(md5(drive::text || '/' || folder), 12)
$$;
