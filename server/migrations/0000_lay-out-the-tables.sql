CREATE TABLE "batch_items" (
	"batch_id" integer NOT NULL,
	"copy_id" bigint NOT NULL,
	CONSTRAINT "batch_items_batch_id_copy_id_pk" PRIMARY KEY("batch_id","copy_id")
);
--> statement-breakpoint
CREATE TABLE "batches" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"folder_id" integer NOT NULL,
	"created_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"filed_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "changes" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"kind" text NOT NULL,
	"summary" text NOT NULL,
	"undoes" bigint,
	"undone_by" bigint,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "collections" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	CONSTRAINT "collections_name_unique" UNIQUE("name")
);
--> statement-breakpoint
CREATE TABLE "copies" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"name" text NOT NULL,
	"size_bytes" bigint NOT NULL,
	"mtime_ms" double precision NOT NULL,
	"inode" text NOT NULL,
	"container" text NOT NULL,
	"gone" boolean DEFAULT false NOT NULL,
	"carries_revision" integer NOT NULL,
	"changed_outside" boolean DEFAULT false NOT NULL,
	"in_file" jsonb NOT NULL,
	"issues" jsonb NOT NULL,
	"indexed_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "copies_path" UNIQUE("drive_id","folder","name")
);
--> statement-breakpoint
CREATE TABLE "drives" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"name" text NOT NULL,
	"identity" text NOT NULL,
	"root_path" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"last_indexed_at" timestamp with time zone,
	CONSTRAINT "drives_identity_unique" UNIQUE("identity")
);
--> statement-breakpoint
CREATE TABLE "folders" (
	"id" serial PRIMARY KEY NOT NULL,
	"drive_id" uuid NOT NULL,
	"path" text NOT NULL,
	"collection_id" integer NOT NULL,
	"added_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "folders_drive_id_path_unique" UNIQUE("drive_id","path")
);
--> statement-breakpoint
CREATE TABLE "jobs" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"total" integer,
	"done" integer DEFAULT 0 NOT NULL,
	"failed" integer DEFAULT 0 NOT NULL,
	"payload" jsonb NOT NULL,
	"result" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"error" jsonb,
	"cancel_requested" boolean DEFAULT false NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"finished_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "journal" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"plan_id" bigint NOT NULL,
	"copy_id" bigint NOT NULL,
	"state" text NOT NULL,
	"before" jsonb NOT NULL,
	"after" jsonb NOT NULL,
	"problems" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"head_bytes" "bytea",
	"tail_bytes" "bytea",
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "people" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"initials" text NOT NULL,
	CONSTRAINT "people_name_unique" UNIQUE("name")
);
--> statement-breakpoint
CREATE TABLE "plans" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"state" text NOT NULL,
	"person_id" integer NOT NULL,
	"batch_id" integer,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"finished_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "record_revisions" (
	"sound_id" bigint NOT NULL,
	"revision" integer NOT NULL,
	"change_id" bigint NOT NULL,
	"before" jsonb NOT NULL,
	"after" jsonb NOT NULL,
	CONSTRAINT "record_revisions_sound_id_revision_pk" PRIMARY KEY("sound_id","revision")
);
--> statement-breakpoint
CREATE TABLE "records" (
	"sound_id" bigint PRIMARY KEY NOT NULL,
	"revision" integer DEFAULT 1 NOT NULL,
	"fx_name" text DEFAULT '' NOT NULL,
	"description" text DEFAULT '' NOT NULL,
	"keywords" text[] DEFAULT '{}' NOT NULL,
	"notes" text DEFAULT '' NOT NULL,
	"category" text DEFAULT '' NOT NULL,
	"sub_category" text DEFAULT '' NOT NULL,
	"cat_id" text DEFAULT '' NOT NULL,
	"user_category" text DEFAULT '' NOT NULL,
	"vendor_category" text DEFAULT '' NOT NULL,
	"user_data" text DEFAULT '' NOT NULL,
	"library" text DEFAULT '' NOT NULL,
	"source_id" text DEFAULT '' NOT NULL,
	"creator" text DEFAULT '' NOT NULL,
	"creator_id" text DEFAULT '' NOT NULL,
	"publisher" text DEFAULT '' NOT NULL,
	"copyright" text DEFAULT '' NOT NULL,
	"licence" text DEFAULT '' NOT NULL,
	"licence_url" text DEFAULT '' NOT NULL,
	"recorded_on" text DEFAULT '' NOT NULL,
	"location" text DEFAULT '' NOT NULL,
	"microphone" text DEFAULT '' NOT NULL,
	"project" text DEFAULT '' NOT NULL,
	"form" text DEFAULT '' NOT NULL,
	"weight" smallint,
	"activity" smallint,
	"rating" smallint,
	"tempo" double precision,
	"key" text DEFAULT '' NOT NULL,
	"composer" text DEFAULT '' NOT NULL,
	"search" "tsvector" DEFAULT '' NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sound_peaks" (
	"sound_id" bigint PRIMARY KEY NOT NULL,
	"version" smallint NOT NULL,
	"channels" smallint NOT NULL,
	"buckets" integer NOT NULL,
	"frames" bigint NOT NULL,
	"highest" real NOT NULL,
	"values" "bytea" NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sounds" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"quick_digest" text NOT NULL,
	"full_digest" text,
	"digest_version" smallint NOT NULL,
	"codec" text NOT NULL,
	"sample_format" text NOT NULL,
	"sample_rate_hz" integer NOT NULL,
	"bit_depth" smallint NOT NULL,
	"channels" smallint NOT NULL,
	"channel_mask" bigint,
	"frames" bigint NOT NULL,
	"duration_seconds" double precision NOT NULL,
	"added_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"filed_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "unreadable" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"name" text NOT NULL,
	"batch_id" integer NOT NULL,
	"code" text NOT NULL,
	"message" text NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "unreadable_path" UNIQUE("drive_id","folder","name")
);
--> statement-breakpoint
ALTER TABLE "batch_items" ADD CONSTRAINT "batch_items_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batch_items" ADD CONSTRAINT "batch_items_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_folder_id_folders_id_fk" FOREIGN KEY ("folder_id") REFERENCES "public"."folders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_created_by_people_id_fk" FOREIGN KEY ("created_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "changes" ADD CONSTRAINT "changes_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "jobs" ADD CONSTRAINT "jobs_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_plan_id_plans_id_fk" FOREIGN KEY ("plan_id") REFERENCES "public"."plans"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "plans" ADD CONSTRAINT "plans_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "plans" ADD CONSTRAINT "plans_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "record_revisions" ADD CONSTRAINT "record_revisions_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "record_revisions" ADD CONSTRAINT "record_revisions_change_id_changes_id_fk" FOREIGN KEY ("change_id") REFERENCES "public"."changes"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "records" ADD CONSTRAINT "records_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_peaks" ADD CONSTRAINT "sound_peaks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sounds" ADD CONSTRAINT "sounds_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "unreadable" ADD CONSTRAINT "unreadable_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "unreadable" ADD CONSTRAINT "unreadable_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "batch_items_copy" ON "batch_items" USING btree ("copy_id");--> statement-breakpoint
CREATE INDEX "copies_sound" ON "copies" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "copies_inode" ON "copies" USING btree ("drive_id","inode");--> statement-breakpoint
CREATE INDEX "jobs_created" ON "jobs" USING btree ("created_at");--> statement-breakpoint
CREATE INDEX "journal_plan" ON "journal" USING btree ("plan_id","id");--> statement-breakpoint
CREATE INDEX "journal_copy" ON "journal" USING btree ("copy_id");--> statement-breakpoint
CREATE INDEX "journal_started" ON "journal" USING btree ("id") WHERE "journal"."state" in ('started', 'undoing');--> statement-breakpoint
CREATE INDEX "record_revisions_change" ON "record_revisions" USING btree ("change_id");--> statement-breakpoint
CREATE INDEX "records_search" ON "records" USING gin ("search");--> statement-breakpoint
CREATE INDEX "records_cat_id" ON "records" USING btree ("cat_id","sound_id");--> statement-breakpoint
CREATE INDEX "records_category" ON "records" USING btree ("category","sound_id");--> statement-breakpoint
CREATE INDEX "records_fx_name" ON "records" USING btree ("fx_name","sound_id");--> statement-breakpoint
CREATE INDEX "records_library" ON "records" USING btree ("library","sound_id");--> statement-breakpoint
CREATE UNIQUE INDEX "sounds_quick_digest" ON "sounds" USING btree ("quick_digest");--> statement-breakpoint
CREATE INDEX "sounds_full_digest" ON "sounds" USING btree ("full_digest");--> statement-breakpoint
CREATE INDEX "sounds_filed" ON "sounds" USING btree ("id") WHERE "sounds"."filed_at" is not null;--> statement-breakpoint
CREATE INDEX "sounds_duration" ON "sounds" USING btree ("duration_seconds","id");--> statement-breakpoint
CREATE INDEX "unreadable_batch" ON "unreadable" USING btree ("batch_id");