CREATE TABLE "folder_stamps" (
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"stamp" text NOT NULL,
	"files" integer NOT NULL,
	CONSTRAINT "folder_stamps_drive_id_folder_pk" PRIMARY KEY("drive_id","folder")
);
--> statement-breakpoint
ALTER TABLE "folder_stamps" ADD CONSTRAINT "folder_stamps_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE FUNCTION flagstone_forget_stamps() RETURNS trigger LANGUAGE plpgsql AS $$
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
END $$;--> statement-breakpoint
CREATE TRIGGER copies_added AFTER INSERT ON copies REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();--> statement-breakpoint
CREATE TRIGGER copies_removed AFTER DELETE ON copies REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();--> statement-breakpoint
CREATE TRIGGER copies_changed AFTER UPDATE ON copies REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();
