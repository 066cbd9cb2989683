CREATE TABLE "collection_sets" (
	"id" serial PRIMARY KEY NOT NULL,
	"collection_ids" integer[] NOT NULL
);
--> statement-breakpoint
INSERT INTO "collection_sets" ("id", "collection_ids") VALUES (0, '{}');--> statement-breakpoint
DROP INDEX "search_rows_sample";--> statement-breakpoint
DROP INDEX "search_rows_category";--> statement-breakpoint
-- Gathered anew when words are next asked for.
DELETE FROM "known_words";--> statement-breakpoint
ALTER TABLE "known_words" DROP CONSTRAINT "known_words_pkey";--> statement-breakpoint
ALTER TABLE "known_words" ADD COLUMN "collection_set" integer NOT NULL;--> statement-breakpoint
ALTER TABLE "known_words" ADD CONSTRAINT "known_words_word_collection_set_pk" PRIMARY KEY("word","collection_set");--> statement-breakpoint
-- Until now everybody could do everything: nothing is taken from anybody.
ALTER TABLE "collection_people" ADD COLUMN "role" text DEFAULT 'librarian' NOT NULL;--> statement-breakpoint
ALTER TABLE "collection_people" ALTER COLUMN "role" DROP DEFAULT;--> statement-breakpoint
INSERT INTO "collection_people" ("collection_id", "person_id", "role") SELECT o.id, p.id, 'librarian' FROM "collections" o CROSS JOIN "people" p WHERE p.ended_at IS NULL ON CONFLICT DO NOTHING;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "collection_ids" integer[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "collection_set" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "api_tokens" ADD COLUMN "role" text;--> statement-breakpoint
INSERT INTO "collection_sets" ("collection_ids") SELECT DISTINCT held FROM (
	SELECT array_agg(DISTINCT coalesce(w.collection_id, 0) ORDER BY coalesce(w.collection_id, 0)) AS held FROM "copies" c LEFT JOIN "folders" w ON w.id = c.read_folder_id GROUP BY c.sound_id
) each;--> statement-breakpoint
UPDATE "search_rows" f SET collection_set = s.id FROM "collection_sets" s, (
	SELECT c.sound_id, array_agg(DISTINCT coalesce(w.collection_id, 0) ORDER BY coalesce(w.collection_id, 0)) AS held FROM "copies" c LEFT JOIN "folders" w ON w.id = c.read_folder_id GROUP BY c.sound_id
) each WHERE each.sound_id = f.sound_id AND s.collection_ids = each.held;--> statement-breakpoint
CREATE INDEX "collection_people_person" ON "collection_people" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "search_rows_collection_set" ON "search_rows" USING btree ("collection_set","sound_id");--> statement-breakpoint
CREATE INDEX "search_rows_sample" ON "search_rows" USING btree ("sound_id","bucket","category","sub_category","cat_id","form","channels","duration_seconds","sample_rate_hz","bit_depth","loudness_lufs","rating","library","publisher","creator","licence","container","drive_id","filed","collection_set") WHERE "search_rows"."filed" and "search_rows"."bucket" = 0;--> statement-breakpoint
CREATE INDEX "search_rows_category" ON "search_rows" USING btree ("category","sub_category","cat_id","collection_set") WHERE "search_rows"."filed";--> statement-breakpoint
ALTER TABLE "changes" ADD COLUMN "transaction" "xid8" DEFAULT pg_current_xact_id() NOT NULL;--> statement-breakpoint
CREATE TABLE "presence" (
	"page" uuid PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"stream" uuid NOT NULL,
	"batch_id" integer,
	"sound_id" bigint,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "presence" ADD CONSTRAINT "presence_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "presence_stream" ON "presence" USING btree ("stream");--> statement-breakpoint
CREATE TRIGGER folders_of_other_collections AFTER UPDATE ON folders REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_folders();
