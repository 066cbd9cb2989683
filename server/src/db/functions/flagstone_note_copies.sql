-- A copy that is gone or back, or stands otherwise to its record than before. Whatever else changes is told by whoever changes it.
create or replace function flagstone_note_copies() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  ids bigint[] := array(SELECT DISTINCT n.sound_id FROM after n JOIN before o ON o.id = n.id
    WHERE (o.gone, o.changed_outside, o.carries_revision, o.cleared_at) IS DISTINCT FROM (n.gone, n.changed_outside, n.carries_revision, n.cleared_at));
BEGIN
  PERFORM flagstone_note_collections(array(SELECT DISTINCT n.sound_id FROM after n JOIN before o ON o.id = n.id
    WHERE o.read_folder_id IS DISTINCT FROM n.read_folder_id));
  IF ids = '{}' THEN RETURN NULL; END IF;
  -- In the order of their numbers, as everybody takes them; then what others that held them have written is read.
  PERFORM FROM search_rows WHERE sound_id = ANY (ids) ORDER BY sound_id FOR UPDATE;
  UPDATE search_rows f SET name = lower(left(c.name, 200)), path = lower(left(c.folder || '/' || c.name, 250)), container = c.container,
    drive_id = c.drive_id, state = flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision),
    copies = (SELECT least(count(*), 32767) FROM copies k WHERE k.sound_id = f.sound_id AND NOT k.gone), terms = flagstone_terms(f.sound_id)
  FROM unnest(ids) i(id) JOIN records r ON r.sound_id = i.id
  CROSS JOIN LATERAL (SELECT * FROM copies k WHERE k.sound_id = i.id ORDER BY k.gone, k.id LIMIT 1) c
  WHERE f.sound_id = i.id;
  RETURN NULL;
END
$$;
