CREATE TABLE "drift_counts" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"drive_id" uuid NOT NULL,
	"read_folder_id" integer,
	"state" text NOT NULL,
	"copies" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "drift_days" (
	"day" date NOT NULL,
	"collection_id" integer NOT NULL,
	"state" text NOT NULL,
	"copies" integer NOT NULL,
	CONSTRAINT "drift_days_day_collection_id_state_pk" PRIMARY KEY("day","collection_id","state")
);
--> statement-breakpoint
ALTER TABLE "copies" ADD COLUMN "proved_at" timestamp with time zone;--> statement-breakpoint
CREATE INDEX "copies_proved" ON "copies" USING btree ("drive_id","proved_at" nulls first,"id") WHERE not "copies"."gone";--> statement-breakpoint
-- What was read as a whole was so after it was indexed; when exactly was not kept.
UPDATE copies SET proved_at = indexed_at WHERE full_digest <> '';--> statement-breakpoint
INSERT INTO drift_counts (drive_id, read_folder_id, state, copies)
SELECT c.drive_id, c.read_folder_id, v.state, count(*) FROM copies c JOIN records r ON r.sound_id = c.sound_id JOIN sounds s ON s.id = c.sound_id
CROSS JOIN LATERAL unnest(flagstone_drift_states(c.gone, c.cleared_at IS NOT NULL, c.changed_outside, c.carries_revision, c.proved_at IS NULL, false, r.revision, s.filed_at IS NOT NULL)) v(state) GROUP BY 1, 2, 3;--> statement-breakpoint
CREATE TRIGGER copies_drift_added AFTER INSERT ON copies REFERENCING NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_drift();--> statement-breakpoint
CREATE TRIGGER copies_drift_changed AFTER UPDATE ON copies REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_drift();--> statement-breakpoint
CREATE TRIGGER copies_drift_removed AFTER DELETE ON copies REFERENCING OLD TABLE AS before FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_drift();--> statement-breakpoint
CREATE TRIGGER records_drift_changed AFTER UPDATE ON records REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_drift_of_records();--> statement-breakpoint
CREATE TRIGGER sounds_drift_filed AFTER UPDATE ON sounds REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_drift_of_sounds();
