CREATE TABLE "known_houses" (
	"id" uuid PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"public_key" text NOT NULL,
	"first_seen_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sheet_bases" (
	"house_id" uuid NOT NULL,
	"sound_id" bigint NOT NULL,
	"record" jsonb NOT NULL,
	"run_id" uuid NOT NULL,
	CONSTRAINT "sheet_bases_house_id_sound_id_pk" PRIMARY KEY("house_id","sound_id")
);
--> statement-breakpoint
CREATE TABLE "sheet_items" (
	"sheet_id" uuid NOT NULL,
	"line" integer NOT NULL,
	"entry" jsonb NOT NULL,
	"match" text,
	"certain" boolean DEFAULT false NOT NULL,
	"candidates" integer DEFAULT 0 NOT NULL,
	"sound_id" bigint,
	"applied_at" timestamp with time zone,
	CONSTRAINT "sheet_items_sheet_id_line_pk" PRIMARY KEY("sheet_id","line")
);
--> statement-breakpoint
CREATE TABLE "sheets" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"manifest" jsonb NOT NULL,
	"signed_by" text NOT NULL,
	"state" text NOT NULL,
	"wins" text DEFAULT 'ours' NOT NULL,
	"person_id" integer NOT NULL,
	"run_id" uuid DEFAULT gen_random_uuid() NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sheets_made" (
	"id" uuid PRIMARY KEY NOT NULL,
	"for_whom" text NOT NULL,
	"sounds" integer NOT NULL,
	"person_id" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sheets_sent" (
	"for_whom" text NOT NULL,
	"sound_id" bigint NOT NULL,
	"mark" text NOT NULL,
	CONSTRAINT "sheets_sent_for_whom_sound_id_pk" PRIMARY KEY("for_whom","sound_id")
);
--> statement-breakpoint
ALTER TABLE "installation" ADD COLUMN "house_id" uuid DEFAULT gen_random_uuid() NOT NULL;--> statement-breakpoint
ALTER TABLE "installation" ADD COLUMN "house_name" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "installation" ADD COLUMN "signing_key" "bytea";--> statement-breakpoint
ALTER TABLE "sheet_bases" ADD CONSTRAINT "sheet_bases_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheet_items" ADD CONSTRAINT "sheet_items_sheet_id_sheets_id_fk" FOREIGN KEY ("sheet_id") REFERENCES "public"."sheets"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheet_items" ADD CONSTRAINT "sheet_items_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheets" ADD CONSTRAINT "sheets_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheets_made" ADD CONSTRAINT "sheets_made_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sheets_sent" ADD CONSTRAINT "sheets_sent_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "sheet_items_sound" ON "sheet_items" USING btree ("sheet_id","sound_id");--> statement-breakpoint
CREATE INDEX "changes_run" ON "changes" USING btree ("run_id") WHERE "changes"."run_id" is not null;--> statement-breakpoint
CREATE INDEX "journal_former_name" ON "journal" USING btree (lower("before" ->> 'name')) WHERE "journal"."before" ? 'companions';