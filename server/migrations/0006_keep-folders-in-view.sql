ALTER TABLE "drives" ADD COLUMN "retired_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "folders" ADD COLUMN "watched" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "folders" ADD COLUMN "exclude" text[] DEFAULT '{}' NOT NULL;