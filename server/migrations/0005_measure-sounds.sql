CREATE EXTENSION IF NOT EXISTS cube;--> statement-breakpoint
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
	"measured_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
-- Pictures of waveforms have other levels now; they are made again from the sounds.
DELETE FROM "sound_peaks";--> statement-breakpoint
ALTER TABLE "sound_peaks" DROP CONSTRAINT "sound_peaks_pkey";--> statement-breakpoint
ALTER TABLE "batch_items" ADD COLUMN "found" text DEFAULT 'same' NOT NULL;--> statement-breakpoint
ALTER TABLE "copies" ADD COLUMN "full_digest" text;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "lanes" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "failures" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "asked" text;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "worker" text;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "heartbeat_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "started_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "sound_peaks" ADD COLUMN "level" smallint NOT NULL;--> statement-breakpoint
ALTER TABLE "sound_peaks" ADD COLUMN "frames_per_bucket" integer NOT NULL;--> statement-breakpoint
ALTER TABLE "sound_peaks" ADD CONSTRAINT "sound_peaks_sound_id_level_pk" PRIMARY KEY("sound_id","level");--> statement-breakpoint
ALTER TABLE "sound_peaks" ALTER COLUMN "values" SET STORAGE EXTERNAL;--> statement-breakpoint
ALTER TABLE "analyses" ADD CONSTRAINT "analyses_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "analyses_loudness" ON "analyses" USING btree ("loudness_lufs","sound_id");--> statement-breakpoint
CREATE INDEX "analyses_features" ON "analyses" USING gist ("features");--> statement-breakpoint
CREATE INDEX "copies_unproved" ON "copies" USING btree ("drive_id","id") WHERE "copies"."full_digest" is null and not "copies"."gone";--> statement-breakpoint
CREATE INDEX "jobs_open" ON "jobs" USING btree ("state") WHERE "jobs"."state" in ('waiting', 'running', 'paused');--> statement-breakpoint
ALTER TABLE "jobs" DROP COLUMN "cancel_requested";--> statement-breakpoint
ALTER TABLE "sound_peaks" DROP COLUMN "version";--> statement-breakpoint
ALTER TABLE "sound_peaks" DROP COLUMN "frames";--> statement-breakpoint
ALTER TABLE "sound_peaks" DROP COLUMN "highest";