-- The tables as they stood when the migrations of the first year were joined into this one. Functions have their home in server/src/db/functions; those that an
-- index or a trigger here calls are there before.
CREATE EXTENSION IF NOT EXISTS pg_trgm;--> statement-breakpoint
CREATE EXTENSION IF NOT EXISTS unaccent;--> statement-breakpoint
CREATE EXTENSION IF NOT EXISTS cube;--> statement-breakpoint
CREATE EXTENSION IF NOT EXISTS btree_gin;--> statement-breakpoint
CREATE TABLE "analyses" (
	"sound_id" bigint PRIMARY KEY NOT NULL,
	"version" smallint NOT NULL,
	"measures" jsonb,
	"error" jsonb,
	"loudness_lufs" real,
	"true_peak_dbtp" real,
	"channel_layout" text DEFAULT '' NOT NULL,
	"form" text DEFAULT '' NOT NULL,
	"features" "cube",
	"brightness" "bytea",
	"brightness_hop" real,
	"loudness_curve" "bytea",
	"measured_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "authorities" (
	"id" serial PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"code" text DEFAULT '' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "batch_items" (
	"batch_id" integer NOT NULL,
	"copy_id" bigint NOT NULL,
	"found" text DEFAULT 'same' NOT NULL,
	"scan_id" uuid,
	CONSTRAINT "batch_items_batch_id_copy_id_pk" PRIMARY KEY("batch_id","copy_id")
);
--> statement-breakpoint
CREATE TABLE "batches" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"folder_id" integer NOT NULL,
	"created_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"filed_at" timestamp with time zone,
	"filed_by" integer,
	"other_audio" jsonb DEFAULT '{}' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "category_lists" (
	"id" serial PRIMARY KEY NOT NULL,
	"source" text NOT NULL,
	"categories" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"in_force" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE "changes" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"kind" text NOT NULL,
	"summary" text NOT NULL,
	"run_id" uuid,
	"undoes" bigint,
	"undone_by" bigint,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "collection_people" (
	"collection_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	CONSTRAINT "collection_people_collection_id_person_id_pk" PRIMARY KEY("collection_id","person_id")
);
--> statement-breakpoint
CREATE TABLE "collections" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"pattern" jsonb,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"retired_at" timestamp with time zone,
	CONSTRAINT "collections_name_unique" UNIQUE("name")
);
--> statement-breakpoint
CREATE TABLE "copies" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"name" text NOT NULL,
	"read_folder_id" integer,
	"size_bytes" bigint NOT NULL,
	"mtime_ms" double precision NOT NULL,
	"inode" text NOT NULL,
	"container" text NOT NULL,
	"track_names" text[] DEFAULT '{}' NOT NULL,
	"gone" boolean DEFAULT false NOT NULL,
	"cleared_at" timestamp with time zone,
	"carries_revision" integer NOT NULL,
	"changed_outside" boolean DEFAULT false NOT NULL,
	"in_file" jsonb NOT NULL,
	"issues" jsonb NOT NULL,
	"disagreeing" text[] DEFAULT '{}' NOT NULL,
	"full_digest" text,
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
	"retired_at" timestamp with time zone,
	"away" boolean DEFAULT false NOT NULL,
	CONSTRAINT "drives_identity_unique" UNIQUE("identity")
);
--> statement-breakpoint
CREATE TABLE "folder_stamps" (
	"drive_id" uuid NOT NULL,
	"folder" text NOT NULL,
	"stamp" text NOT NULL,
	"files" integer NOT NULL,
	CONSTRAINT "folder_stamps_drive_id_folder_pk" PRIMARY KEY("drive_id","folder")
);
--> statement-breakpoint
CREATE TABLE "folders" (
	"id" serial PRIMARY KEY NOT NULL,
	"drive_id" uuid NOT NULL,
	"path" text NOT NULL,
	"collection_id" integer NOT NULL,
	"added_by" integer NOT NULL,
	"watched" boolean DEFAULT false NOT NULL,
	"reread_minutes" integer,
	"last_read_at" timestamp with time zone,
	"exclude" text[] DEFAULT '{}' NOT NULL,
	"recipe_id" integer,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "folders_drive_id_path_unique" UNIQUE("drive_id","path")
);
--> statement-breakpoint
CREATE TABLE "installation" (
	"id" smallint PRIMARY KEY NOT NULL,
	"write_key" "bytea" NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "jobs" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"lanes" text[] DEFAULT '{}' NOT NULL,
	"total" integer,
	"done" integer DEFAULT 0 NOT NULL,
	"failed" integer DEFAULT 0 NOT NULL,
	"payload" jsonb NOT NULL,
	"result" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"failures" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"error" jsonb,
	"asked" text,
	"worker" text,
	"lease" integer DEFAULT 0 NOT NULL,
	"heartbeat_at" timestamp with time zone,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"started_at" timestamp with time zone,
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
CREATE TABLE "learned_words" (
	"collection_id" integer NOT NULL,
	"word" text NOT NULL,
	"cat_id" text NOT NULL,
	"times" integer NOT NULL,
	CONSTRAINT "learned_words_collection_id_word_cat_id_pk" PRIMARY KEY("collection_id","word","cat_id")
);
--> statement-breakpoint
CREATE TABLE "measuring_now" (
	"copy_id" bigint PRIMARY KEY NOT NULL,
	"begun" smallint NOT NULL
);
--> statement-breakpoint
CREATE TABLE "path_rules" (
	"id" serial PRIMARY KEY NOT NULL,
	"pattern" text NOT NULL,
	"sets" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
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
CREATE TABLE "pull_entries" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"list_id" integer NOT NULL,
	"place" double precision NOT NULL,
	"sound_id" bigint NOT NULL,
	"from_frame" bigint,
	"to_frame" bigint,
	"try_out" jsonb,
	"comment" text DEFAULT '' NOT NULL,
	"added_by" integer NOT NULL,
	"added_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "pull_lists" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"show" text DEFAULT '' NOT NULL,
	"scene" text DEFAULT '' NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "recipes" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"steps" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"shared" boolean DEFAULT false NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
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
	"slices" text DEFAULT '' NOT NULL,
	"sync_points" text DEFAULT '' NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sound_peaks" (
	"sound_id" bigint NOT NULL,
	"level" smallint NOT NULL,
	"channels" smallint NOT NULL,
	"frames_per_bucket" integer NOT NULL,
	"buckets" integer NOT NULL,
	"values" "bytea" NOT NULL,
	CONSTRAINT "sound_peaks_sound_id_level_pk" PRIMARY KEY("sound_id","level")
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
	"is_cut_short" boolean DEFAULT false NOT NULL,
	"added_by" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"filed_at" timestamp with time zone,
	"parent_id" bigint,
	"parent_from" bigint,
	"parent_to" bigint
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
CREATE TABLE "column_layouts" (
	"id" serial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"name" text NOT NULL,
	"layout" jsonb NOT NULL,
	CONSTRAINT "column_layouts_name" UNIQUE("person_id","name")
);
--> statement-breakpoint
CREATE TABLE "copies_out" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"person_id" integer NOT NULL,
	"folder" text DEFAULT '' NOT NULL,
	"copied_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "known_words" (
	"word" text PRIMARY KEY NOT NULL,
	"sounds" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "saved_search_visits" (
	"search_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "saved_search_visits_search_id_person_id_pk" PRIMARY KEY("search_id","person_id")
);
--> statement-breakpoint
CREATE TABLE "saved_searches" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"query" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"shared" boolean DEFAULT false NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "search_rows" (
	"sound_id" bigint PRIMARY KEY NOT NULL,
	"filed" boolean NOT NULL,
	"bucket" smallint GENERATED ALWAYS AS ((hashint8(sound_id) & 63)::smallint) STORED NOT NULL,
	"eighth" smallint GENERATED ALWAYS AS (((hashint8(sound_id) >> 6) & 7)::smallint) STORED NOT NULL,
	"search" "tsvector" NOT NULL,
	"terms" "tsvector" DEFAULT '' NOT NULL,
	"name" text NOT NULL,
	"path" text DEFAULT '' NOT NULL,
	"state" text DEFAULT '' NOT NULL,
	"container" text NOT NULL,
	"drive_id" uuid,
	"fx_name" text DEFAULT '' NOT NULL,
	"category" text DEFAULT '' NOT NULL,
	"sub_category" text DEFAULT '' NOT NULL,
	"cat_id" text DEFAULT '' NOT NULL,
	"form" text DEFAULT '' NOT NULL,
	"library" text DEFAULT '' NOT NULL,
	"publisher" text DEFAULT '' NOT NULL,
	"creator" text DEFAULT '' NOT NULL,
	"licence" text DEFAULT '' NOT NULL,
	"rating" smallint,
	"channels" smallint NOT NULL,
	"sample_rate_hz" integer NOT NULL,
	"bit_depth" smallint NOT NULL,
	"duration_seconds" double precision NOT NULL,
	"loudness_lufs" real,
	"true_peak_dbtp" real,
	"channel_layout" text DEFAULT '' NOT NULL,
	"weight" smallint,
	"activity" smallint,
	"tempo" real,
	"copies" smallint DEFAULT 0 NOT NULL,
	"merit" smallint DEFAULT 0 NOT NULL,
	"uses" integer DEFAULT 0 NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sound_marks" (
	"person_id" integer NOT NULL,
	"sound_id" bigint NOT NULL,
	"rating" smallint,
	"favourite" boolean DEFAULT false NOT NULL,
	"tags" text[] DEFAULT '{}' NOT NULL,
	"note" text DEFAULT '' NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "sound_marks_person_id_sound_id_pk" PRIMARY KEY("person_id","sound_id")
);
--> statement-breakpoint
CREATE TABLE "word_relations" (
	"id" serial PRIMARY KEY NOT NULL,
	"word" text NOT NULL,
	"related" text NOT NULL,
	"kind" text NOT NULL,
	"hidden" boolean DEFAULT false NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "word_relations_pair" UNIQUE("word","related")
);
--> statement-breakpoint
CREATE TABLE "act_marks" (
	"act_id" bigint NOT NULL,
	"sound_id" bigint NOT NULL,
	"before" jsonb,
	"after" jsonb,
	CONSTRAINT "act_marks_act_id_sound_id_pk" PRIMARY KEY("act_id","sound_id")
);
--> statement-breakpoint
CREATE TABLE "acts" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"kind" text NOT NULL,
	"summary" text NOT NULL,
	"rows" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"undone_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "analyses" ADD CONSTRAINT "analyses_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batch_items" ADD CONSTRAINT "batch_items_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batch_items" ADD CONSTRAINT "batch_items_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_folder_id_folders_id_fk" FOREIGN KEY ("folder_id") REFERENCES "public"."folders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_created_by_people_id_fk" FOREIGN KEY ("created_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_filed_by_people_id_fk" FOREIGN KEY ("filed_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "category_lists" ADD CONSTRAINT "category_lists_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "changes" ADD CONSTRAINT "changes_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "collection_people" ADD CONSTRAINT "collection_people_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "collection_people" ADD CONSTRAINT "collection_people_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_read_folder_id_folders_id_fk" FOREIGN KEY ("read_folder_id") REFERENCES "public"."folders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folder_stamps" ADD CONSTRAINT "folder_stamps_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "folders" ADD CONSTRAINT "folders_recipe_id_recipes_id_fk" FOREIGN KEY ("recipe_id") REFERENCES "public"."recipes"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "jobs" ADD CONSTRAINT "jobs_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_plan_id_plans_id_fk" FOREIGN KEY ("plan_id") REFERENCES "public"."plans"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "journal" ADD CONSTRAINT "journal_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "learned_words" ADD CONSTRAINT "learned_words_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "measuring_now" ADD CONSTRAINT "measuring_now_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "path_rules" ADD CONSTRAINT "path_rules_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "plans" ADD CONSTRAINT "plans_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "plans" ADD CONSTRAINT "plans_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_list_id_pull_lists_id_fk" FOREIGN KEY ("list_id") REFERENCES "public"."pull_lists"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_lists" ADD CONSTRAINT "pull_lists_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "recipes" ADD CONSTRAINT "recipes_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "record_revisions" ADD CONSTRAINT "record_revisions_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "record_revisions" ADD CONSTRAINT "record_revisions_change_id_changes_id_fk" FOREIGN KEY ("change_id") REFERENCES "public"."changes"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "records" ADD CONSTRAINT "records_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_peaks" ADD CONSTRAINT "sound_peaks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sounds" ADD CONSTRAINT "sounds_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sounds" ADD CONSTRAINT "sounds_parent_id_sounds_id_fk" FOREIGN KEY ("parent_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "unreadable" ADD CONSTRAINT "unreadable_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "unreadable" ADD CONSTRAINT "unreadable_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "column_layouts" ADD CONSTRAINT "column_layouts_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies_out" ADD CONSTRAINT "copies_out_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies_out" ADD CONSTRAINT "copies_out_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_search_visits" ADD CONSTRAINT "saved_search_visits_search_id_saved_searches_id_fk" FOREIGN KEY ("search_id") REFERENCES "public"."saved_searches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_search_visits" ADD CONSTRAINT "saved_search_visits_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_searches" ADD CONSTRAINT "saved_searches_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "search_rows" ADD CONSTRAINT "search_rows_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_marks" ADD CONSTRAINT "sound_marks_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_marks" ADD CONSTRAINT "sound_marks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "word_relations" ADD CONSTRAINT "word_relations_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "act_marks" ADD CONSTRAINT "act_marks_act_id_acts_id_fk" FOREIGN KEY ("act_id") REFERENCES "public"."acts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "act_marks" ADD CONSTRAINT "act_marks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "acts" ADD CONSTRAINT "acts_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "analyses_loudness" ON "analyses" USING btree ("loudness_lufs","sound_id");--> statement-breakpoint
CREATE INDEX "analyses_features" ON "analyses" USING gist ("features");--> statement-breakpoint
CREATE INDEX "analyses_shape" ON "analyses" USING gist (cube_subset("features", array[34, 35, 36, 37, 38, 39, 40, 41, 42, 43, 44, 45]));--> statement-breakpoint
CREATE UNIQUE INDEX "authorities_name" ON "authorities" USING btree ("kind",lower("name"));--> statement-breakpoint
CREATE INDEX "batch_items_copy" ON "batch_items" USING btree ("copy_id");--> statement-breakpoint
CREATE UNIQUE INDEX "category_lists_in_force" ON "category_lists" USING btree ("in_force") WHERE "category_lists"."in_force";--> statement-breakpoint
CREATE INDEX "copies_sound" ON "copies" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "copies_read_folder" ON "copies" USING btree ("read_folder_id","sound_id");--> statement-breakpoint
CREATE INDEX "copies_inode" ON "copies" USING btree ("drive_id","inode");--> statement-breakpoint
CREATE INDEX "copies_name" ON "copies" USING btree (lower("name"),"sound_id");--> statement-breakpoint
CREATE INDEX "copies_lost" ON "copies" USING btree ("id") WHERE "copies"."gone" and "copies"."cleared_at" is null;--> statement-breakpoint
CREATE INDEX "copies_disagreeing" ON "copies" USING gin ("disagreeing");--> statement-breakpoint
CREATE INDEX "copies_unproved" ON "copies" USING btree ("drive_id","id") WHERE "copies"."full_digest" is null and not "copies"."gone";--> statement-breakpoint
CREATE INDEX "jobs_created" ON "jobs" USING btree ("created_at");--> statement-breakpoint
CREATE INDEX "jobs_open" ON "jobs" USING btree ("state") WHERE "jobs"."state" in ('waiting', 'running', 'paused');--> statement-breakpoint
CREATE INDEX "journal_plan" ON "journal" USING btree ("plan_id","id");--> statement-breakpoint
CREATE INDEX "journal_copy" ON "journal" USING btree ("copy_id");--> statement-breakpoint
CREATE INDEX "journal_started" ON "journal" USING btree ("id") WHERE "journal"."state" in ('started', 'undoing');--> statement-breakpoint
CREATE INDEX "pull_entries_list" ON "pull_entries" USING btree ("list_id","place");--> statement-breakpoint
CREATE INDEX "pull_entries_sound" ON "pull_entries" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "record_revisions_change" ON "record_revisions" USING btree ("change_id");--> statement-breakpoint
CREATE INDEX "records_description" ON "records" USING btree (lower(left("description", 60)),"sound_id");--> statement-breakpoint
CREATE INDEX "records_keywords" ON "records" USING btree (flagstone_list("keywords"),"sound_id");--> statement-breakpoint
CREATE INDEX "records_creator_id" ON "records" USING btree (left("creator_id", 60),"sound_id");--> statement-breakpoint
CREATE INDEX "records_source_id" ON "records" USING btree (left("source_id", 60),"sound_id");--> statement-breakpoint
CREATE UNIQUE INDEX "sounds_quick_digest" ON "sounds" USING btree ("quick_digest");--> statement-breakpoint
CREATE INDEX "sounds_full_digest" ON "sounds" USING btree ("full_digest");--> statement-breakpoint
CREATE INDEX "sounds_filed" ON "sounds" USING btree ("id") WHERE "sounds"."filed_at" is not null;--> statement-breakpoint
CREATE INDEX "sounds_duration" ON "sounds" USING btree ("duration_seconds","id");--> statement-breakpoint
CREATE INDEX "sounds_cut_short" ON "sounds" USING btree ("id") WHERE "sounds"."is_cut_short";--> statement-breakpoint
CREATE INDEX "sounds_parent" ON "sounds" USING btree ("parent_id") WHERE "sounds"."parent_id" is not null;--> statement-breakpoint
CREATE INDEX "unreadable_batch" ON "unreadable" USING btree ("batch_id");--> statement-breakpoint
CREATE INDEX "copies_out_sound" ON "copies_out" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "known_words_like" ON "known_words" USING gin ("word" gin_trgm_ops);--> statement-breakpoint
CREATE INDEX "search_rows_words" ON "search_rows" USING gin ("bucket","eighth","merit","search","terms","channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_sample" ON "search_rows" USING btree ("sound_id","bucket","category","sub_category","cat_id","form","channels","duration_seconds","sample_rate_hz","bit_depth","loudness_lufs","rating","library","publisher","creator","licence","container","drive_id","filed") WHERE "search_rows"."filed" and "search_rows"."bucket" = 0;--> statement-breakpoint
CREATE INDEX "search_rows_names" ON "search_rows" USING gin ("merit",flagstone_names("search"),"channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_merit" ON "search_rows" USING btree ("merit","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_name" ON "search_rows" USING btree ("name","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_fx_name" ON "search_rows" USING btree ("fx_name","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_category" ON "search_rows" USING btree ("category","sub_category","cat_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_cat_id" ON "search_rows" USING btree ("cat_id","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_library" ON "search_rows" USING btree (lower("library"),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_length" ON "search_rows" USING btree ("duration_seconds","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_uses" ON "search_rows" USING btree ("uses","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_path" ON "search_rows" USING btree ("path","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_state" ON "search_rows" USING btree ("state","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_channels" ON "search_rows" USING btree ("channels","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_rate" ON "search_rows" USING btree ("sample_rate_hz","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_depth" ON "search_rows" USING btree ("bit_depth","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_loudness" ON "search_rows" USING btree (coalesce("loudness_lufs", -1000),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_rating" ON "search_rows" USING btree (coalesce("rating", 0),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_peak" ON "search_rows" USING btree ("true_peak_dbtp") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_created" ON "search_rows" USING btree ("created_at") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_copies" ON "search_rows" USING btree ("copies") WHERE "search_rows"."filed" and "search_rows"."copies" <> 1;--> statement-breakpoint
CREATE INDEX "search_rows_weight" ON "search_rows" USING btree ("weight") WHERE "search_rows"."filed" and "search_rows"."weight" is not null;--> statement-breakpoint
CREATE INDEX "search_rows_activity" ON "search_rows" USING btree ("activity") WHERE "search_rows"."filed" and "search_rows"."activity" is not null;--> statement-breakpoint
CREATE INDEX "search_rows_tempo" ON "search_rows" USING btree ("tempo") WHERE "search_rows"."filed" and "search_rows"."tempo" is not null;--> statement-breakpoint
CREATE INDEX "search_rows_filed" ON "search_rows" USING btree ("sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "sound_marks_sound" ON "sound_marks" USING btree ("sound_id");--> statement-breakpoint
CREATE INDEX "acts_person" ON "acts" USING btree ("person_id","id");--> statement-breakpoint
-- Every collection that there is to file into.
INSERT INTO collections (name) VALUES ('Effects');--> statement-breakpoint
-- Peaks are compressed already.
ALTER TABLE sound_peaks ALTER COLUMN "values" SET STORAGE EXTERNAL;--> statement-breakpoint
-- Room for a changed row beside its old self, so that indexes on what did not change stay as they are.
ALTER TABLE search_rows SET (fillfactor = 90);--> statement-breakpoint
-- Two thousand words are known with their numbers instead of one thousand: of any other PostgreSQL expects half as many sounds as of the rarest of them, which was too
-- many, at a million sounds, to count them one by one.
ALTER TABLE search_rows ALTER COLUMN search SET STATISTICS 200;--> statement-breakpoint
ALTER TABLE search_rows ALTER COLUMN terms SET STATISTICS 200;--> statement-breakpoint
-- Without it PostgreSQL takes one in two hundred for granted, and sorts a fifth of a million sounds instead of going through them by merit.
CREATE STATISTICS search_rows_named ON (flagstone_names(search)) FROM search_rows;--> statement-breakpoint
ALTER STATISTICS search_rows_named SET STATISTICS 200;--> statement-breakpoint
-- Of what a partial index is made of PostgreSQL uses no statistics, and takes one in three for granted, or one in two hundred.
CREATE STATISTICS search_rows_loud ON (coalesce(loudness_lufs, -1000)) FROM search_rows;--> statement-breakpoint
CREATE STATISTICS search_rows_rated ON (coalesce(rating, 0)) FROM search_rows;--> statement-breakpoint
CREATE STATISTICS search_rows_of_library ON (lower(library)) FROM search_rows;--> statement-breakpoint
-- Search rows, and the stamps of folders, follow what changes the tables beside them.
CREATE TRIGGER analyses_measured AFTER INSERT OR UPDATE ON analyses FOR EACH ROW EXECUTE FUNCTION flagstone_note_measured();--> statement-breakpoint
CREATE TRIGGER copies_added AFTER INSERT ON copies REFERENCING NEW TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();--> statement-breakpoint
CREATE TRIGGER copies_changed AFTER UPDATE ON copies REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();--> statement-breakpoint
CREATE TRIGGER copies_out_added AFTER INSERT ON copies_out FOR EACH ROW EXECUTE FUNCTION flagstone_note_pulled();--> statement-breakpoint
CREATE TRIGGER copies_removed AFTER DELETE ON copies REFERENCING OLD TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION flagstone_forget_stamps();--> statement-breakpoint
CREATE TRIGGER copies_stand_otherwise AFTER UPDATE ON copies REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_copies();--> statement-breakpoint
CREATE TRIGGER pull_entries_added AFTER INSERT ON pull_entries FOR EACH ROW EXECUTE FUNCTION flagstone_note_pulled();--> statement-breakpoint
CREATE TRIGGER sound_marks_given AFTER INSERT OR UPDATE ON sound_marks FOR EACH ROW EXECUTE FUNCTION flagstone_note_marked();--> statement-breakpoint
CREATE TRIGGER sounds_filed AFTER UPDATE ON sounds REFERENCING NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_filed();
