create or replace function flagstone_forget_stamps() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'UPDATE' THEN
    DELETE FROM folder_stamps s USING (
      SELECT DISTINCT p.drive_id, p.folder FROM before b JOIN after a ON a.id = b.id
      CROSS JOIN LATERAL (VALUES (b.drive_id, b.folder), (a.drive_id, a.folder)) p(drive_id, folder)
      WHERE (a.drive_id, a.folder, a.name, a.size_bytes, a.mtime_ms, a.inode, a.gone)
        IS DISTINCT FROM (b.drive_id, b.folder, b.name, b.size_bytes, b.mtime_ms, b.inode, b.gone)) c
      WHERE s.drive_id = c.drive_id AND s.folder = c.folder;
  ELSE
    DELETE FROM folder_stamps s USING (SELECT DISTINCT drive_id, folder FROM changed) c WHERE s.drive_id = c.drive_id AND s.folder = c.folder;
  END IF;
  RETURN NULL;
END $$;
