CREATE TABLE "column_layouts" (
	"id" serial PRIMARY KEY NOT NULL,
	"person_id" integer NOT NULL,
	"name" text NOT NULL,
	"layout" jsonb NOT NULL,
	CONSTRAINT "column_layouts_name" UNIQUE("person_id","name")
);
--> statement-breakpoint
CREATE TABLE "known_words" (
	"word" text PRIMARY KEY NOT NULL,
	"sounds" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "saved_search_visits" (
	"search_id" integer NOT NULL,
	"person_id" integer NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "saved_search_visits_search_id_person_id_pk" PRIMARY KEY("search_id","person_id")
);
--> statement-breakpoint
CREATE TABLE "saved_searches" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"query" jsonb NOT NULL,
	"person_id" integer NOT NULL,
	"shared" boolean DEFAULT false NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sound_marks" (
	"person_id" integer NOT NULL,
	"sound_id" bigint NOT NULL,
	"rating" smallint,
	"favourite" boolean DEFAULT false NOT NULL,
	"tags" text[] DEFAULT '{}' NOT NULL,
	"note" text DEFAULT '' NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "sound_marks_person_id_sound_id_pk" PRIMARY KEY("person_id","sound_id")
);
--> statement-breakpoint
CREATE TABLE "word_relations" (
	"id" serial PRIMARY KEY NOT NULL,
	"word" text NOT NULL,
	"related" text NOT NULL,
	"kind" text NOT NULL,
	"hidden" boolean DEFAULT false NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "word_relations_pair" UNIQUE("word","related")
);
--> statement-breakpoint
ALTER TABLE "column_layouts" ADD CONSTRAINT "column_layouts_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_search_visits" ADD CONSTRAINT "saved_search_visits_search_id_saved_searches_id_fk" FOREIGN KEY ("search_id") REFERENCES "public"."saved_searches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_search_visits" ADD CONSTRAINT "saved_search_visits_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "saved_searches" ADD CONSTRAINT "saved_searches_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_marks" ADD CONSTRAINT "sound_marks_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sound_marks" ADD CONSTRAINT "sound_marks_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "word_relations" ADD CONSTRAINT "word_relations_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "known_words_like" ON "known_words" USING gin ("word" gin_trgm_ops);--> statement-breakpoint
CREATE INDEX "sound_marks_sound" ON "sound_marks" USING btree ("sound_id");
--> statement-breakpoint
-- Makes the rows of sounds anew, now with the mean of what people gave as rating. How often a sound was used is kept.
CREATE OR REPLACE FUNCTION flagstone_refresh_search(ids bigint[]) RETURNS void LANGUAGE sql AS $$
  INSERT INTO search_rows AS f (sound_id, filed, search, name, container, drive_id, fx_name, category, sub_category, cat_id, form, library,
    publisher, creator, licence, rating, channels, sample_rate_hz, bit_depth, duration_seconds, loudness_lufs, true_peak_dbtp, channel_layout,
    merit, created_at)
  SELECT s.id, s.filed_at IS NOT NULL, flagstone_search(r, coalesce(k.paths, '')), coalesce(left(k.names[1], 200), ''),
    coalesce(k.containers[1], ''), k.drives[1], lower(left(r.fx_name, 200)), left(r.category, 80), left(r.sub_category, 80), left(r.cat_id, 40),
    r.form, left(r.library, 80), left(r.publisher, 80), left(r.creator, 80), left(r.licence, 80), m.rating, s.channels, s.sample_rate_hz, s.bit_depth, s.duration_seconds, a.loudness_lufs, a.true_peak_dbtp,
    coalesce(a.channel_layout, ''),
    2 * coalesce(m.rating, 0) + (r.fx_name <> '')::int + (r.cat_id <> '')::int + (r.description <> '')::int + (cardinality(r.keywords) > 0)::int +
      (r.library <> '')::int + (r.creator <> '')::int + (r.form <> '')::int + (r.licence <> '')::int,
    s.created_at
  FROM unnest(ids) i(id) JOIN sounds s ON s.id = i.id JOIN records r ON r.sound_id = s.id LEFT JOIN analyses a ON a.sound_id = s.id
  CROSS JOIN LATERAL (
    SELECT string_agg(c.folder || '/' || c.name, ' ') AS paths, array_agg(lower(c.name) ORDER BY c.gone, c.id) AS names,
      array_agg(c.container ORDER BY c.gone, c.id) AS containers, array_agg(c.drive_id ORDER BY c.gone, c.id) AS drives
    FROM copies c WHERE c.sound_id = s.id) k
  CROSS JOIN LATERAL (SELECT coalesce((SELECT round(avg(p.rating)) FROM sound_marks p WHERE p.sound_id = s.id)::smallint, r.rating) AS rating) m
  ORDER BY s.id
  ON CONFLICT (sound_id) DO UPDATE SET (filed, search, name, container, drive_id, fx_name, category, sub_category, cat_id, form, library, publisher,
    creator, licence, rating, loudness_lufs, true_peak_dbtp, channel_layout, merit) = (excluded.filed, excluded.search, excluded.name,
    excluded.container, excluded.drive_id, excluded.fx_name, excluded.category, excluded.sub_category, excluded.cat_id, excluded.form,
    excluded.library, excluded.publisher, excluded.creator, excluded.licence, excluded.rating, excluded.loudness_lufs, excluded.true_peak_dbtp,
    excluded.channel_layout, excluded.merit)
$$;
--> statement-breakpoint
CREATE FUNCTION flagstone_note_marked() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  UPDATE search_rows f SET rating = n.rating, merit = f.merit + 2 * (coalesce(n.rating, 0) - coalesce(f.rating, 0))
  FROM (SELECT coalesce((SELECT round(avg(p.rating)) FROM sound_marks p WHERE p.sound_id = r.sound_id)::smallint, r.rating) AS rating
    FROM records r WHERE r.sound_id = NEW.sound_id) n
  WHERE f.sound_id = NEW.sound_id AND f.rating IS DISTINCT FROM n.rating;
  RETURN NULL;
END
$$;
--> statement-breakpoint
CREATE TRIGGER sound_marks_given AFTER INSERT OR UPDATE ON sound_marks FOR EACH ROW EXECUTE FUNCTION flagstone_note_marked();
