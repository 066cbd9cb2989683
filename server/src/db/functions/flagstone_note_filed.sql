-- A sound's length is known for certain only when it was decoded: the row that is searched follows it.
create or replace function flagstone_note_filed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- In the order of their numbers, as everybody takes them: two that write then wait for each other and never both.
  PERFORM FROM search_rows f JOIN after n ON n.id = f.sound_id
  WHERE f.filed <> (n.filed_at IS NOT NULL AND f.path <> '') OR f.duration_seconds <> n.duration_seconds ORDER BY f.sound_id FOR UPDATE OF f;
  UPDATE search_rows f SET filed = n.filed_at IS NOT NULL AND f.path <> '', duration_seconds = n.duration_seconds FROM after n
  WHERE f.sound_id = n.id AND (f.filed <> (n.filed_at IS NOT NULL AND f.path <> '') OR f.duration_seconds <> n.duration_seconds);
  RETURN NULL;
END
$$;
