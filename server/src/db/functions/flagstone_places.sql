-- A drive as a whole, and each folder on the way into one of its folders.
create or replace function flagstone_places(drive uuid, folder text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  places text := E'\x01/=' || flagstone_place(drive, '');
  way text := '';
  step text;
BEGIN
  FOREACH step IN ARRAY string_to_array(folder, '/') LOOP
    way := CASE WHEN way = '' THEN step ELSE way || '/' || step END;
    places := places || E'\x01/=' || flagstone_place(drive, way);
  END LOOP;
  RETURN places;
END
$$;
