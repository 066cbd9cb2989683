CREATE TABLE "collection_people" (
	"collection_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	CONSTRAINT "collection_people_collection_id_person_id_pk" PRIMARY KEY("collection_id","person_id")
);
--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "pattern" jsonb;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "created_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "collections" ADD COLUMN "retired_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "copies" ADD COLUMN "read_folder_id" integer;--> statement-breakpoint
ALTER TABLE "copies" ADD COLUMN "track_names" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "folders" ADD COLUMN "reread_minutes" integer;--> statement-breakpoint
ALTER TABLE "folders" ADD COLUMN "last_read_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "collection_people" ADD CONSTRAINT "collection_people_collection_id_collections_id_fk" FOREIGN KEY ("collection_id") REFERENCES "public"."collections"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "collection_people" ADD CONSTRAINT "collection_people_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "copies" ADD CONSTRAINT "copies_read_folder_id_folders_id_fk" FOREIGN KEY ("read_folder_id") REFERENCES "public"."folders"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
UPDATE "copies" c SET "read_folder_id" = (
  SELECT f."id" FROM "folders" f WHERE f."drive_id" = c."drive_id"
  AND (f."path" = '' OR f."path" = c."folder" OR starts_with(c."folder", f."path" || '/')) ORDER BY length(f."path") DESC LIMIT 1);--> statement-breakpoint
CREATE INDEX "copies_read_folder" ON "copies" USING btree ("read_folder_id","sound_id");