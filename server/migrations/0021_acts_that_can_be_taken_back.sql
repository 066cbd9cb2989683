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
ALTER TABLE "act_marks" ADD CONSTRAINT "act_marks_act_id_acts_id_fk" FOREIGN KEY ("act_id") REFERENCES "public"."acts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "act_marks" ADD CONSTRAINT "act_marks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "acts" ADD CONSTRAINT "acts_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "acts_person" ON "acts" USING btree ("person_id","id");