create or replace function flagstone_note_measured() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- What is read after that is what others that held the row have written.
  PERFORM FROM search_rows WHERE sound_id = NEW.sound_id FOR UPDATE;
  UPDATE search_rows SET loudness_lufs = NEW.loudness_lufs, true_peak_dbtp = NEW.true_peak_dbtp, channel_layout = NEW.channel_layout,
    terms = flagstone_terms(sound_id) WHERE sound_id = NEW.sound_id;
  RETURN NULL;
END
$$;
