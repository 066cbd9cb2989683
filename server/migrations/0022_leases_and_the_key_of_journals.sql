CREATE TABLE "installation" (
	"id" smallint PRIMARY KEY NOT NULL,
	"write_key" "bytea" NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "jobs" ADD COLUMN "lease" integer DEFAULT 0 NOT NULL;