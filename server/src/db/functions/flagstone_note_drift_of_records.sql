-- A record that has another revision leaves its copies behind, or finds them in step again. What is updated is locked.
create or replace function flagstone_note_drift_of_records() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
  SELECT c.drive_id, c.read_folder_id, v.state, sum(k.sign)
  FROM before o JOIN after n ON n.sound_id = o.sound_id AND n.revision <> o.revision JOIN sounds s ON s.id = n.sound_id JOIN copies c ON c.sound_id = n.sound_id
  CROSS JOIN LATERAL (VALUES (o.revision, -1), (n.revision, 1)) k(revision, sign)
  CROSS JOIN LATERAL unnest(flagstone_drift_states(c.gone, c.cleared_at IS NOT NULL, c.changed_outside, c.carries_revision, c.proved_at IS NULL, c.damaged_at IS NOT NULL, k.revision, s.filed_at IS NOT NULL)) v(state) GROUP BY 1, 2, 3 HAVING sum(k.sign) <> 0;
  RETURN NULL;
END
$$;
