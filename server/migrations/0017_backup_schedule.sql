CREATE TABLE "backup_schedule" (
	"id" smallint PRIMARY KEY NOT NULL,
	"folder" text NOT NULL,
	"hour" smallint NOT NULL,
	"keep" smallint NOT NULL,
	"set_by" integer NOT NULL,
	"set_at" timestamp with time zone DEFAULT now() NOT NULL,
	"queued_at" timestamp with time zone,
	"last_at" timestamp with time zone,
	"last_path" text DEFAULT '' NOT NULL,
	"last_bytes" bigint DEFAULT 0 NOT NULL,
	"last_error" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
ALTER TABLE "backup_schedule" ADD CONSTRAINT "backup_schedule_set_by_people_id_fk" FOREIGN KEY ("set_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;