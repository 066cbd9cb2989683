-- Keeps the counts of copies by drive, folder that was read and state: adds what a statement changed of them. The record of a sound is what everybody locks who changes what
-- its copies count as, so that of two at once the later one sees what the earlier one wrote.
create or replace function flagstone_note_drift() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'INSERT' THEN
    PERFORM FROM records r WHERE r.sound_id IN (SELECT sound_id FROM after) ORDER BY r.sound_id FOR SHARE;
    INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
    SELECT c.drive_id, c.read_folder_id, v.state, count(*) FROM after c JOIN records r ON r.sound_id = c.sound_id JOIN sounds s ON s.id = c.sound_id
    CROSS JOIN LATERAL unnest(flagstone_drift_states(c.gone, c.cleared_at IS NOT NULL, c.changed_outside, c.carries_revision, c.proved_at IS NULL, c.damaged_at IS NOT NULL, r.revision, s.filed_at IS NOT NULL)) v(state) GROUP BY 1, 2, 3;
  ELSIF TG_OP = 'DELETE' THEN
    PERFORM FROM records r WHERE r.sound_id IN (SELECT sound_id FROM before) ORDER BY r.sound_id FOR SHARE;
    INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
    SELECT c.drive_id, c.read_folder_id, v.state, -count(*) FROM before c JOIN records r ON r.sound_id = c.sound_id JOIN sounds s ON s.id = c.sound_id
    CROSS JOIN LATERAL unnest(flagstone_drift_states(c.gone, c.cleared_at IS NOT NULL, c.changed_outside, c.carries_revision, c.proved_at IS NULL, c.damaged_at IS NOT NULL, r.revision, s.filed_at IS NOT NULL)) v(state) GROUP BY 1, 2, 3;
  ELSE
    PERFORM FROM records r WHERE r.sound_id IN (
      SELECT unnest(ARRAY[o.sound_id, n.sound_id]) FROM before o JOIN after n ON n.id = o.id
      WHERE (o.sound_id, o.drive_id, o.read_folder_id, o.gone, o.cleared_at, o.changed_outside, o.carries_revision, o.proved_at IS NULL, o.damaged_at IS NOT NULL)
        IS DISTINCT FROM (n.sound_id, n.drive_id, n.read_folder_id, n.gone, n.cleared_at, n.changed_outside, n.carries_revision, n.proved_at IS NULL, n.damaged_at IS NOT NULL))
    ORDER BY r.sound_id FOR SHARE;
    IF NOT FOUND THEN RETURN NULL; END IF;
    INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
    SELECT k.drive_id, k.read_folder_id, v.state, sum(k.sign)
    FROM (SELECT -1 AS sign, o.* FROM before o UNION ALL SELECT 1, n.* FROM after n) k
    JOIN records r ON r.sound_id = k.sound_id JOIN sounds s ON s.id = k.sound_id
    CROSS JOIN LATERAL unnest(flagstone_drift_states(k.gone, k.cleared_at IS NOT NULL, k.changed_outside, k.carries_revision, k.proved_at IS NULL, k.damaged_at IS NOT NULL, r.revision, s.filed_at IS NOT NULL)) v(state) GROUP BY 1, 2, 3 HAVING sum(k.sign) <> 0;
  END IF;
  RETURN NULL;
END
$$;
