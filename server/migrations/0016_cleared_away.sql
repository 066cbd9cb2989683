-- What fields find of copies that were cleared away changed. Only where there are some: in a new database there is no such function yet.
DO $$ BEGIN
  IF EXISTS (SELECT FROM copies WHERE cleared_at IS NOT NULL) THEN
    UPDATE search_rows SET terms = flagstone_terms(sound_id) WHERE sound_id IN (SELECT sound_id FROM copies WHERE cleared_at IS NOT NULL);
  END IF;
END $$;
