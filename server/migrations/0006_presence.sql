CREATE TABLE "presence" (
	"page" uuid PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"stream" uuid NOT NULL,
	"batch_id" integer,
	"sound_id" bigint,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "presence" ADD CONSTRAINT "presence_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "presence_stream" ON "presence" USING btree ("stream");