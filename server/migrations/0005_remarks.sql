CREATE TABLE "remark_mentions" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"remark_id" bigint NOT NULL,
	"person_id" integer NOT NULL,
	"done_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "remarks" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"sound_id" bigint NOT NULL,
	"person_id" integer NOT NULL,
	"text" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"removed_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "remark_mentions" ADD CONSTRAINT "remark_mentions_remark_id_remarks_id_fk" FOREIGN KEY ("remark_id") REFERENCES "public"."remarks"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "remark_mentions" ADD CONSTRAINT "remark_mentions_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "remarks" ADD CONSTRAINT "remarks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "remarks" ADD CONSTRAINT "remarks_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "remark_mentions_person" ON "remark_mentions" USING btree ("remark_id","person_id");--> statement-breakpoint
CREATE INDEX "remark_mentions_waiting" ON "remark_mentions" USING btree ("person_id","remark_id") WHERE done_at is null;--> statement-breakpoint
CREATE INDEX "remarks_sound" ON "remarks" USING btree ("sound_id","id") WHERE removed_at is null;