CREATE TABLE "deliveries" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"for_whom" text DEFAULT '' NOT NULL,
	"intended_use" text DEFAULT '' NOT NULL,
	"is_commercial" boolean DEFAULT true NOT NULL,
	"show" text DEFAULT '' NOT NULL,
	"deadline" date,
	"what" jsonb NOT NULL,
	"profile_name" text DEFAULT '' NOT NULL,
	"profile" jsonb NOT NULL,
	"folder" text NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"turn" integer DEFAULT 0 NOT NULL,
	"planned_at" timestamp with time zone,
	"delivered_at" timestamp with time zone,
	"besides" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "delivery_decisions" (
	"delivery_id" integer NOT NULL,
	"licence" text NOT NULL,
	"reason" text NOT NULL,
	"person_id" integer NOT NULL,
	"decided_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "delivery_decisions_delivery_id_licence_pk" PRIMARY KEY("delivery_id","licence")
);
--> statement-breakpoint
CREATE TABLE "delivery_items" (
	"delivery_id" integer NOT NULL,
	"path" text NOT NULL,
	"wanted" text NOT NULL,
	"sound_id" bigint NOT NULL,
	"copy_id" bigint NOT NULL,
	"from_path" text NOT NULL,
	"part" jsonb,
	"try_out" jsonb NOT NULL,
	"file" smallint NOT NULL,
	"made" text NOT NULL,
	"bytes" bigint NOT NULL,
	"state" text NOT NULL,
	"problems" jsonb NOT NULL,
	"mark" text NOT NULL,
	"turn" integer NOT NULL,
	"digest" text DEFAULT '' NOT NULL,
	"delivered_mark" text DEFAULT '' NOT NULL,
	"delivered_at" timestamp with time zone,
	CONSTRAINT "delivery_items_delivery_id_path_pk" PRIMARY KEY("delivery_id","path")
);
--> statement-breakpoint
CREATE TABLE "delivery_profiles" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"profile" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	CONSTRAINT "delivery_profiles_name_unique" UNIQUE("name")
);
--> statement-breakpoint
ALTER TABLE "authorities" ADD COLUMN "terms" jsonb;--> statement-breakpoint
ALTER TABLE "copies_out" ADD COLUMN "delivery" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "deliveries" ADD CONSTRAINT "deliveries_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "delivery_decisions" ADD CONSTRAINT "delivery_decisions_delivery_id_deliveries_id_fk" FOREIGN KEY ("delivery_id") REFERENCES "public"."deliveries"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "delivery_decisions" ADD CONSTRAINT "delivery_decisions_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "delivery_items" ADD CONSTRAINT "delivery_items_delivery_id_deliveries_id_fk" FOREIGN KEY ("delivery_id") REFERENCES "public"."deliveries"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "delivery_items" ADD CONSTRAINT "delivery_items_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "delivery_profiles" ADD CONSTRAINT "delivery_profiles_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "delivery_items_sound" ON "delivery_items" USING btree ("sound_id");--> statement-breakpoint
UPDATE acts SET rows = (SELECT jsonb_agg(CASE WHEN e ->> 'table' = 'authorities' THEN e
    || CASE WHEN jsonb_typeof(e -> 'before') = 'object' THEN jsonb_build_object('before', e -> 'before' || '{"terms": null}') ELSE '{}' END
    || CASE WHEN jsonb_typeof(e -> 'after') = 'object' THEN jsonb_build_object('after', e -> 'after' || '{"terms": null}') ELSE '{}' END
    ELSE e END ORDER BY n) FROM jsonb_array_elements(rows) WITH ORDINALITY x(e, n))
  WHERE rows @> '[{"table": "authorities"}]';
