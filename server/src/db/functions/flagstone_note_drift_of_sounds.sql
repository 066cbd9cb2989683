-- Sounds that are filed, or taken out of the catalogue again, take their copies along.
create or replace function flagstone_note_drift_of_sounds() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM FROM records r WHERE r.sound_id IN (
    SELECT n.id FROM before o JOIN after n ON n.id = o.id WHERE (o.filed_at IS NULL) <> (n.filed_at IS NULL)) ORDER BY r.sound_id FOR NO KEY UPDATE;
  IF NOT FOUND THEN RETURN NULL; END IF;
  INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
  SELECT c.drive_id, c.read_folder_id, v.state, sum(k.sign)
  FROM before o JOIN after n ON n.id = o.id AND (o.filed_at IS NULL) <> (n.filed_at IS NULL) JOIN records r ON r.sound_id = n.id JOIN copies c ON c.sound_id = n.id
  CROSS JOIN LATERAL (VALUES (o.filed_at IS NOT NULL, -1), (n.filed_at IS NOT NULL, 1)) k(filed, sign)
  CROSS JOIN LATERAL unnest(flagstone_drift_states(c.gone, c.cleared_at IS NOT NULL, c.changed_outside, c.carries_revision, c.proved_at IS NULL, c.damaged_at IS NOT NULL, r.revision, k.filed)) v(state) GROUP BY 1, 2, 3 HAVING sum(k.sign) <> 0;
  RETURN NULL;
END
$$;
