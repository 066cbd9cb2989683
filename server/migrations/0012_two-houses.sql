CREATE TABLE "house_people" (
	"house_id" uuid NOT NULL,
	"name" text NOT NULL,
	"person_id" integer,
	"is_guest" boolean DEFAULT false NOT NULL,
	CONSTRAINT "house_people_house_id_name_pk" PRIMARY KEY("house_id","name")
);
--> statement-breakpoint
CREATE TABLE "sheet_part_lines" (
	"sheet_id" uuid NOT NULL,
	"file" text NOT NULL,
	"line" integer NOT NULL,
	"of_line" integer,
	"said" jsonb NOT NULL,
	"applied_at" timestamp with time zone,
	CONSTRAINT "sheet_part_lines_sheet_id_file_line_pk" PRIMARY KEY("sheet_id","file","line")
);
--> statement-breakpoint
CREATE TABLE "told_bases" (
	"house_id" uuid NOT NULL,
	"what" text NOT NULL,
	"said" jsonb NOT NULL,
	"run_id" uuid NOT NULL,
	CONSTRAINT "told_bases_house_id_what_pk" PRIMARY KEY("house_id","what")
);
--> statement-breakpoint
CREATE TABLE "told_revisions" (
	"sound_id" bigint NOT NULL,
	"house_id" uuid NOT NULL,
	"revision" integer NOT NULL,
	"house" text NOT NULL,
	"said" jsonb NOT NULL,
	CONSTRAINT "told_revisions_sound_id_house_id_revision_pk" PRIMARY KEY("sound_id","house_id","revision")
);
--> statement-breakpoint
CREATE TABLE "told_rows" (
	"kind" text NOT NULL,
	"home" uuid NOT NULL,
	"home_number" bigint NOT NULL,
	"row_id" bigint NOT NULL,
	"run_id" uuid NOT NULL,
	CONSTRAINT "told_rows_kind_home_home_number_pk" PRIMARY KEY("kind","home","home_number")
);
--> statement-breakpoint
DROP INDEX "acts_person";--> statement-breakpoint
ALTER TABLE "acts" ADD COLUMN "done_by" integer;--> statement-breakpoint
ALTER TABLE "acts" ADD COLUMN "run_id" uuid;--> statement-breakpoint
ALTER TABLE "house_people" ADD CONSTRAINT "house_people_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheet_part_lines" ADD CONSTRAINT "sheet_part_lines_sheet_id_sheets_id_fk" FOREIGN KEY ("sheet_id") REFERENCES "public"."sheets"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "told_revisions" ADD CONSTRAINT "told_revisions_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "house_people_person" ON "house_people" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "sheet_part_lines_of" ON "sheet_part_lines" USING btree ("sheet_id","of_line","file");--> statement-breakpoint
CREATE INDEX "told_rows_row" ON "told_rows" USING btree ("kind","row_id");--> statement-breakpoint
ALTER TABLE "acts" ADD CONSTRAINT "acts_done_by_people_id_fk" FOREIGN KEY ("done_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "acts_doer" ON "acts" USING btree (coalesce("done_by", "person_id"),"id");--> statement-breakpoint
CREATE INDEX "acts_run" ON "acts" USING btree ("run_id") WHERE "acts"."run_id" is not null;--> statement-breakpoint
DROP TRIGGER sound_marks_given ON sound_marks;--> statement-breakpoint
CREATE TRIGGER sound_marks_given AFTER INSERT OR UPDATE OR DELETE ON sound_marks FOR EACH ROW EXECUTE FUNCTION flagstone_note_marked();--> statement-breakpoint
UPDATE search_rows f SET rating = n.rating, merit = f.merit + 2 * (coalesce(n.rating, 0) - coalesce(f.rating, 0))
  FROM (SELECT r.sound_id, coalesce(m.rating, r.rating) AS rating FROM records r
    LEFT JOIN (SELECT sound_id, round(avg(rating))::smallint AS rating FROM sound_marks GROUP BY 1) m USING (sound_id)) n
  WHERE f.sound_id = n.sound_id AND f.rating IS DISTINCT FROM n.rating;
