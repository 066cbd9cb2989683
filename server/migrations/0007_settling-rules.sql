CREATE TABLE "settling_rules" (
	"id" serial PRIMARY KEY NOT NULL,
	"drive_id" uuid,
	"collection_id" integer,
	"field" text NOT NULL,
	"wins" text NOT NULL,
	"person_id" integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE "settling_rules" ADD CONSTRAINT "settling_rules_drive_id_drives_id_fk" FOREIGN KEY ("drive_id") REFERENCES "public"."drives"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "settling_rules" ADD CONSTRAINT "settling_rules_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "settling_rules" ADD CONSTRAINT "settling_rules_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;