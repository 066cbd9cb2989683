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
ALTER TABLE "analyses" ADD COLUMN "loudness_curve" "bytea";--> statement-breakpoint
ALTER TABLE "records" ADD COLUMN "slices" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "records" ADD COLUMN "sync_points" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "sounds" ADD COLUMN "parent_id" bigint;--> statement-breakpoint
ALTER TABLE "sounds" ADD COLUMN "parent_from" bigint;--> statement-breakpoint
ALTER TABLE "sounds" ADD COLUMN "parent_to" bigint;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_list_id_pull_lists_id_fk" FOREIGN KEY ("list_id") REFERENCES "public"."pull_lists"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_entries" ADD CONSTRAINT "pull_entries_added_by_people_id_fk" FOREIGN KEY ("added_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pull_lists" ADD CONSTRAINT "pull_lists_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "pull_entries_list" ON "pull_entries" USING btree ("list_id","place");--> statement-breakpoint
CREATE INDEX "pull_entries_sound" ON "pull_entries" USING btree ("sound_id");--> statement-breakpoint
ALTER TABLE "sounds" ADD CONSTRAINT "sounds_parent_id_sounds_id_fk" FOREIGN KEY ("parent_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "sounds_parent" ON "sounds" USING btree ("parent_id") WHERE "sounds"."parent_id" is not null;