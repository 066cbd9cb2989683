CREATE TABLE "left_out" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"batch_id" integer NOT NULL,
	"folder" text NOT NULL,
	"name" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "removals" (
	"id" serial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"reason" text NOT NULL,
	"removed_at" timestamp with time zone DEFAULT now() NOT NULL,
	"undone_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "removed_sounds" (
	"removal_id" integer NOT NULL,
	"sound_id" bigint NOT NULL,
	"filed_at" timestamp with time zone NOT NULL,
	CONSTRAINT "removed_sounds_removal_id_sound_id_pk" PRIMARY KEY("removal_id","sound_id")
);
--> statement-breakpoint
CREATE TABLE "arrival_files" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"arrival_id" integer NOT NULL,
	"pack_id" uuid,
	"entry" integer,
	"path" text NOT NULL,
	"bytes" bigint NOT NULL,
	"sha256" text DEFAULT '' NOT NULL,
	"state" text NOT NULL,
	"quick_digest" text DEFAULT '' NOT NULL,
	"begun_at" timestamp with time zone,
	"target" text DEFAULT '' NOT NULL,
	"code" text DEFAULT '' NOT NULL,
	"message" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "arrivals" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"collection_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	"source" text DEFAULT '' NOT NULL,
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"audio" jsonb,
	"only_new" boolean DEFAULT true NOT NULL,
	"state" text NOT NULL,
	"batch_id" integer,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"closed_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "batch_items" ADD COLUMN "is_moved" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "given_to" integer;--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "part_of" integer;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "landing_drive_id" uuid;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "landing_folder" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "shelf_drive_id" uuid;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "shelf_folder" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "shelf_template" text DEFAULT '{library}/{category}/{subCategory}' NOT NULL;--> statement-breakpoint
ALTER TABLE "left_out" ADD CONSTRAINT "left_out_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "removals" ADD CONSTRAINT "removals_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "removed_sounds" ADD CONSTRAINT "removed_sounds_removal_id_removals_id_fk" FOREIGN KEY ("removal_id") REFERENCES "public"."removals"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "removed_sounds" ADD CONSTRAINT "removed_sounds_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "arrival_files" ADD CONSTRAINT "arrival_files_arrival_id_arrivals_id_fk" FOREIGN KEY ("arrival_id") REFERENCES "public"."arrivals"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "arrivals" ADD CONSTRAINT "arrivals_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "arrivals" ADD CONSTRAINT "arrivals_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "arrivals" ADD CONSTRAINT "arrivals_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "arrivals" ADD CONSTRAINT "arrivals_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "left_out_batch" ON "left_out" USING btree ("batch_id");--> statement-breakpoint
CREATE INDEX "removed_sounds_sound" ON "removed_sounds" USING btree ("sound_id");--> statement-breakpoint
CREATE UNIQUE INDEX "arrival_files_path" ON "arrival_files" USING btree ("arrival_id",md5("path"));--> statement-breakpoint
CREATE INDEX "arrival_files_state" ON "arrival_files" USING btree ("arrival_id","state","id");--> statement-breakpoint
CREATE UNIQUE INDEX "arrivals_place" ON "arrivals" USING btree ("drive_id","folder");--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_given_to_people_id_fk" FOREIGN KEY ("given_to") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_part_of_batches_id_fk" FOREIGN KEY ("part_of") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "collections" ADD CONSTRAINT "collections_landing_drive_id_drives_id_fk" FOREIGN KEY ("landing_drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "collections" ADD CONSTRAINT "collections_shelf_drive_id_drives_id_fk" FOREIGN KEY ("shelf_drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
UPDATE acts SET rows = (SELECT jsonb_agg(CASE e ->> 'table'
    WHEN 'collections' THEN e
      || CASE WHEN jsonb_typeof(e -> 'before') = 'object' THEN jsonb_build_object('before', e -> 'before' || '{"landing_drive_id": null, "landing_folder": "", "shelf_drive_id": null, "shelf_folder": "", "shelf_template": "{library}/{category}/{subCategory}"}') ELSE '{}' END
      || CASE WHEN jsonb_typeof(e -> 'after') = 'object' THEN jsonb_build_object('after', e -> 'after' || '{"landing_drive_id": null, "landing_folder": "", "shelf_drive_id": null, "shelf_folder": "", "shelf_template": "{library}/{category}/{subCategory}"}') ELSE '{}' END
    WHEN 'batches' THEN e
      || CASE WHEN jsonb_typeof(e -> 'before') = 'object' THEN jsonb_build_object('before', e -> 'before' || '{"given_to": null, "part_of": null}') ELSE '{}' END
      || CASE WHEN jsonb_typeof(e -> 'after') = 'object' THEN jsonb_build_object('after', e -> 'after' || '{"given_to": null, "part_of": null}') ELSE '{}' END
    ELSE e END ORDER BY n) FROM jsonb_array_elements(rows) WITH ORDINALITY x(e, n))
  WHERE rows @> '[{"table": "collections"}]' OR rows @> '[{"table": "batches"}]';
