-- A list as lists are sorted by it.
create or replace function flagstone_list(list text[]) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN lower(left(array_to_string(list, ', '), 60));
END
$$;
