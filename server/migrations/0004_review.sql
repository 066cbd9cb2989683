CREATE TABLE "proposals" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"person_id" integer NOT NULL,
	"field" text NOT NULL,
	"before" jsonb NOT NULL,
	"value" jsonb NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"act_id" bigint NOT NULL,
	"ended_by" bigint,
	"decided_by" integer,
	"decided_at" timestamp with time zone,
	"remark" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "asks_review" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_act_id_acts_id_fk" FOREIGN KEY ("act_id") REFERENCES "public"."acts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_ended_by_acts_id_fk" FOREIGN KEY ("ended_by") REFERENCES "public"."acts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_decided_by_people_id_fk" FOREIGN KEY ("decided_by") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "proposals_waiting" ON "proposals" USING btree ("sound_id","person_id","field") WHERE state = 'waiting';--> statement-breakpoint
CREATE INDEX "proposals_queue" ON "proposals" USING btree ("id") WHERE state = 'waiting';--> statement-breakpoint
CREATE INDEX "proposals_person" ON "proposals" USING btree ("person_id","state","id");--> statement-breakpoint
CREATE INDEX "proposals_act" ON "proposals" USING btree ("act_id");--> statement-breakpoint
CREATE INDEX "proposals_ended" ON "proposals" USING btree ("ended_by");