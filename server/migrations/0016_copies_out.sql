CREATE TABLE "copies_out" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"person_id" integer NOT NULL,
	"folder" text DEFAULT '' NOT NULL,
	"copied_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
DROP INDEX "search_rows_names";--> statement-breakpoint
ALTER TABLE "copies_out" ADD CONSTRAINT "copies_out_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies_out" ADD CONSTRAINT "copies_out_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "copies_out_sound" ON "copies_out" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "search_rows_names" ON "search_rows" USING gin (ts_filter("search", '{a,b}'),"channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";
--> statement-breakpoint
CREATE TRIGGER copies_out_added AFTER INSERT ON copies_out FOR EACH ROW EXECUTE FUNCTION flagstone_note_pulled();
