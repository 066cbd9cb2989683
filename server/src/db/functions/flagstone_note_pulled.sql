create or replace function flagstone_note_pulled() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  UPDATE search_rows SET uses = uses + 1 WHERE sound_id = NEW.sound_id;
  RETURN NULL;
END
$$;
