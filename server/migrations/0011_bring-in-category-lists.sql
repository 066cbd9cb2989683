CREATE TABLE "category_lists" (
	"id" serial PRIMARY KEY NOT NULL,
	"source" text NOT NULL,
	"categories" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"in_force" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
ALTER TABLE "category_lists" ADD CONSTRAINT "category_lists_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "category_lists_in_force" ON "category_lists" USING btree ("in_force") WHERE "category_lists"."in_force";