-- Every field of the search line is found by an index, and every order of lists has one.
DROP INDEX "search_rows_words";--> statement-breakpoint
DROP INDEX "search_rows_sample";--> statement-breakpoint
DROP INDEX "search_rows_names";--> statement-breakpoint
DROP INDEX "search_rows_merit";--> statement-breakpoint
DROP INDEX "search_rows_name";--> statement-breakpoint
DROP INDEX "search_rows_fx_name";--> statement-breakpoint
DROP INDEX "search_rows_category";--> statement-breakpoint
DROP INDEX "search_rows_cat_id";--> statement-breakpoint
DROP INDEX "search_rows_library";--> statement-breakpoint
DROP INDEX "search_rows_length";--> statement-breakpoint
DROP INDEX "search_rows_uses";--> statement-breakpoint
DROP INDEX "search_rows_filed";--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "terms" "tsvector" DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "path" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "state" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "weight" smallint;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "activity" smallint;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "tempo" real;--> statement-breakpoint
ALTER TABLE "search_rows" ADD COLUMN "copies" smallint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "search_rows" ALTER COLUMN "terms" SET STATISTICS 200;--> statement-breakpoint
-- The words of a text as they stand there, then as they are taken apart where small letters end and at figures, if that gives others. A word that says nothing stands between
-- the two: a phrase does not begin at the end of the one and end at the beginning of the other.
CREATE OR REPLACE FUNCTION flagstone_words(input text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  plain text;
  apart text;
BEGIN
  IF input IS NULL OR input = '' THEN RETURN ''; END IF;
  plain := btrim(regexp_replace(input, '[^[:alnum:]'']+', ' ', 'g'));
  IF input !~ '[[:digit:]]|[[:lower:]][[:upper:]]|[[:upper:]][[:upper:]][[:lower:]]' THEN RETURN public.unaccent('public.unaccent'::regdictionary, plain); END IF;
  apart := btrim(regexp_replace(
    regexp_replace(
      regexp_replace(input, '([[:lower:]])([[:upper:]])', '\1 \2', 'g'),
      '([[:upper:]])([[:upper:]][[:lower:]])', '\1 \2', 'g'),
    '[^[:alpha:]'']+', ' ', 'g'));
  RETURN public.unaccent('public.unaccent'::regdictionary, CASE WHEN apart IN ('', plain) THEN plain ELSE plain || ' the ' || apart END);
END
$$;--> statement-breakpoint
-- How a copy stands to the record of its sound.
CREATE FUNCTION flagstone_state(gone boolean, changed_outside boolean, carries integer, revision integer) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE WHEN gone THEN 'gone' WHEN changed_outside AND carries < revision THEN 'split' WHEN changed_outside THEN 'ahead'
    WHEN carries < revision THEN 'behind' ELSE 'inStep' END
$$;--> statement-breakpoint
-- What stands before the words of a field: one letter for the fields that most sounds have, since a million sounds have forty million words.
CREATE FUNCTION flagstone_code(field text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE field WHEN 'description' THEN 'd' WHEN 'keywords' THEN 'k' WHEN 'fxname' THEN 'f' WHEN 'name' THEN 'n' WHEN 'folder' THEN 'p'
    WHEN 'library' THEN 'l' WHEN 'category' THEN 'g' WHEN 'subcategory' THEN 's' WHEN 'catid' THEN 'i' WHEN 'creator' THEN 'c'
    WHEN 'licence' THEN 'y' ELSE field END
$$;--> statement-breakpoint
-- A folder of a drive: a few letters that no other has, whatever the length of its path.
CREATE FUNCTION flagstone_place(drive uuid, folder text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT left(md5(drive::text || '/' || folder), 12)
$$;--> statement-breakpoint
-- The words of a field as terms, each after a control character, which belongs to no word. Nor does a sign of equality: nobody's words can be taken for those of a field.
CREATE FUNCTION flagstone_terms_of(field text, words tsvector) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  code text := E'\x01' || flagstone_code(field) || '=';
BEGIN
  RETURN coalesce(code || nullif(array_to_string(tsvector_to_array(words), code), ''), '');
END
$$;--> statement-breakpoint
CREATE FUNCTION flagstone_terms_of(field text, said text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  IF said = '' THEN RETURN ''; END IF;
  RETURN flagstone_terms_of(field, to_tsvector('pg_catalog.english', flagstone_words(said)));
END
$$;--> statement-breakpoint
-- The whole value of a field, of one word or several: what a click into the index asks for. Long ones are compared where they stand.
CREATE FUNCTION flagstone_whole(field text, said text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN CASE WHEN length(said) BETWEEN 1 AND 79 THEN E'\x01' || field || '==' || lower(said) ELSE '' END;
END
$$;--> statement-breakpoint
-- A drive as a whole, and each folder on the way into one of its folders.
CREATE FUNCTION flagstone_places(drive uuid, folder text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
DECLARE
  places text := E'\x01/=' || flagstone_place(drive, '');
  way text := '';
  step text;
BEGIN
  FOREACH step IN ARRAY string_to_array(folder, '/') LOOP
    way := CASE WHEN way = '' THEN step ELSE way || '/' || step END;
    places := places || E'\x01/=' || flagstone_place(drive, way);
  END LOOP;
  RETURN places;
END
$$;--> statement-breakpoint
-- Everything that the fields of the search line find of a sound.
CREATE FUNCTION flagstone_terms(sound bigint) RETURNS tsvector LANGUAGE plpgsql STABLE PARALLEL SAFE AS $$
DECLARE
  r records;
  a record;
  terms text;
  all_terms text[];
BEGIN
  SELECT * INTO r FROM records WHERE sound_id = sound;
  SELECT string_agg(flagstone_terms_of('name', c.name) || flagstone_terms_of('folder', c.folder) || E'\x01container=' || lower(c.container)
    || E'\x01drive=' || c.drive_id || E'\x01state=' || flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision)
    || CASE WHEN c.cleared_at IS NULL THEN flagstone_places(c.drive_id, c.folder) ELSE '' END, '')
  INTO terms FROM copies c WHERE c.sound_id = sound;
  SELECT lower(channel_layout) AS layout, (measures ->> 'clippedSamples')::bigint > 0 AS clipped, measures IS NOT NULL AND loudness_lufs IS NULL AS silent
  INTO a FROM analyses WHERE sound_id = sound;
  terms := concat(terms, flagstone_terms_of('catid', r.cat_id), flagstone_terms_of('category', r.category), flagstone_terms_of('subcategory', r.sub_category),
    flagstone_terms_of('usercategory', r.user_category), flagstone_terms_of('vendorcategory', r.vendor_category), flagstone_terms_of('fxname', r.fx_name),
    flagstone_terms_of('creatorid', r.creator_id), flagstone_terms_of('sourceid', r.source_id), flagstone_terms_of('userdata', r.user_data),
    flagstone_terms_of('description', r.description), flagstone_terms_of('keywords', array_to_string(r.keywords, ' ')), flagstone_terms_of('notes', r.notes),
    flagstone_terms_of('library', r.library), flagstone_terms_of('creator', r.creator), flagstone_terms_of('publisher', r.publisher),
    flagstone_terms_of('project', r.project), flagstone_terms_of('recordedon', r.recorded_on), flagstone_terms_of('location', r.location),
    flagstone_terms_of('microphone', r.microphone), flagstone_terms_of('copyright', r.copyright), flagstone_terms_of('licence', r.licence),
    flagstone_terms_of('licenceurl', r.licence_url), flagstone_terms_of('key', r.key), flagstone_terms_of('composer', r.composer),
    flagstone_whole('publisher', r.publisher), flagstone_whole('creator', r.creator),
    flagstone_whole('licence', r.licence), E'\x01layout=' || left(nullif(a.layout, ''), 100), CASE WHEN a.clipped THEN E'\x01is=clipped' END, CASE WHEN a.silent THEN E'\x01is=silent' END,
    CASE WHEN r.slices <> '' THEN E'\x01is=sliced' END);
  all_terms := array_remove(string_to_array(terms, E'\x01'), '');
  -- What is too long for a vector is left out.
  IF octet_length(terms) > 2000 THEN all_terms := array(SELECT term FROM unnest(all_terms) term WHERE octet_length(term) < 2000); END IF;
  RETURN array_to_tsvector(all_terms);
END
$$;--> statement-breakpoint
-- The question for all of some words in a field. Without a word that says something it is empty, and nothing answers it.
CREATE FUNCTION flagstone_asked(field text, words tsvector) RETURNS tsquery LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''' || replace(replace(term, '\', '\\'), '''', '''''') || '''', ' & '), '')::tsquery
    FROM unnest(string_to_array(flagstone_terms_of(field, words), E'\x01')) term WHERE term <> '');
END
$$;--> statement-breakpoint
-- The questions for what lies in a folder or below it, and for drives by words of their names or by the whole name. They are immutable by their own
-- word alone: so they are worked out once, when a search is planned, which no search is before it is asked, and it is known how much is to be expected.
CREATE FUNCTION flagstone_in(drive text, folder text) RETURNS tsquery LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''/=' || flagstone_place(v.id, folder) || '''', ' | '), '')::tsquery
    FROM drives v WHERE replace(v.name, '/', ' ') = drive);
END
$$;--> statement-breakpoint
CREATE FUNCTION flagstone_on_drives(asked tsquery, named text) RETURNS tsquery LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''drive=' || v.id || '''', ' | '), '')::tsquery
    FROM drives v WHERE CASE WHEN named = '' THEN to_tsvector('pg_catalog.english', flagstone_words(v.name)) @@ asked ELSE lower(v.name) = named END);
END
$$;--> statement-breakpoint
-- Makes the rows of sounds anew, with what fields find. How often a sound was used is kept.
CREATE OR REPLACE FUNCTION flagstone_refresh_search(ids bigint[]) RETURNS void LANGUAGE sql AS $$
  INSERT INTO search_rows AS f (sound_id, filed, search, terms, name, path, state, container, drive_id, fx_name, category, sub_category, cat_id, form, library,
    publisher, creator, licence, rating, channels, sample_rate_hz, bit_depth, duration_seconds, loudness_lufs, true_peak_dbtp, channel_layout,
    weight, activity, tempo, copies, merit, created_at)
  SELECT s.id, s.filed_at IS NOT NULL AND k.names IS NOT NULL, flagstone_search(r, coalesce(k.paths, '')), flagstone_terms(s.id), coalesce(left(k.names[1], 200), ''),
    coalesce(left(k.places[1], 250), ''), coalesce(k.states[1], ''), coalesce(k.containers[1], ''), k.drives[1], lower(left(r.fx_name, 200)), left(r.category, 80), left(r.sub_category, 80), left(r.cat_id, 40),
    r.form, left(r.library, 80), left(r.publisher, 80), left(r.creator, 80), left(r.licence, 80), m.rating, s.channels, s.sample_rate_hz, s.bit_depth, s.duration_seconds, a.loudness_lufs, a.true_peak_dbtp,
    coalesce(a.channel_layout, ''), r.weight, r.activity, r.tempo, least(k.present, 32767),
    2 * coalesce(m.rating, 0) + (r.fx_name <> '')::int + (r.cat_id <> '')::int + (r.description <> '')::int + (cardinality(r.keywords) > 0)::int +
      (r.library <> '')::int + (r.creator <> '')::int + (r.form <> '')::int + (r.licence <> '')::int,
    s.created_at
  FROM unnest(ids) i(id) JOIN sounds s ON s.id = i.id JOIN records r ON r.sound_id = s.id LEFT JOIN analyses a ON a.sound_id = s.id
  CROSS JOIN LATERAL (
    SELECT string_agg(c.folder || '/' || c.name, ' ' ORDER BY c.id) AS paths, array_agg(lower(c.name) ORDER BY c.gone, c.id) AS names,
      array_agg(c.container ORDER BY c.gone, c.id) AS containers, array_agg(c.drive_id ORDER BY c.gone, c.id) AS drives,
      array_agg(lower(c.folder || '/' || c.name) ORDER BY c.gone, c.id) AS places, count(*) FILTER (WHERE NOT c.gone) AS present,
      array_agg(flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision) ORDER BY c.gone, c.id) AS states
    FROM copies c WHERE c.sound_id = s.id) k
  CROSS JOIN LATERAL (SELECT coalesce((SELECT round(avg(p.rating)) FROM sound_marks p WHERE p.sound_id = s.id)::smallint, r.rating) AS rating) m
  ORDER BY s.id
  ON CONFLICT (sound_id) DO UPDATE SET (filed, search, terms, name, path, state, container, drive_id, fx_name, category, sub_category, cat_id, form, library, publisher,
    creator, licence, rating, loudness_lufs, true_peak_dbtp, channel_layout, weight, activity, tempo, copies, merit) = (excluded.filed, excluded.search, excluded.terms,
    excluded.name, excluded.path, excluded.state, excluded.container, excluded.drive_id, excluded.fx_name, excluded.category, excluded.sub_category, excluded.cat_id, excluded.form,
    excluded.library, excluded.publisher, excluded.creator, excluded.licence, excluded.rating, excluded.loudness_lufs, excluded.true_peak_dbtp,
    excluded.channel_layout, excluded.weight, excluded.activity, excluded.tempo, excluded.copies, excluded.merit)
$$;--> statement-breakpoint
-- A sound whose file holds another one now has no copy, and is in no list until it has one again.
CREATE OR REPLACE FUNCTION flagstone_note_filed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- In the order of their numbers, as everybody takes them: two that write then wait for each other and never both.
  PERFORM FROM search_rows f JOIN after n ON n.id = f.sound_id WHERE f.filed <> (n.filed_at IS NOT NULL AND f.path <> '') ORDER BY f.sound_id FOR UPDATE OF f;
  UPDATE search_rows f SET filed = n.filed_at IS NOT NULL AND f.path <> '' FROM after n
  WHERE f.sound_id = n.id AND f.filed <> (n.filed_at IS NOT NULL AND f.path <> '');
  RETURN NULL;
END
$$;--> statement-breakpoint
CREATE OR REPLACE FUNCTION flagstone_note_measured() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- What is read after that is what others that held the row have written.
  PERFORM FROM search_rows WHERE sound_id = NEW.sound_id FOR UPDATE;
  UPDATE search_rows SET loudness_lufs = NEW.loudness_lufs, true_peak_dbtp = NEW.true_peak_dbtp, channel_layout = NEW.channel_layout,
    terms = flagstone_terms(sound_id) WHERE sound_id = NEW.sound_id;
  RETURN NULL;
END
$$;--> statement-breakpoint
DROP TRIGGER copies_gone ON copies;--> statement-breakpoint
DROP FUNCTION flagstone_note_gone;--> statement-breakpoint
-- A copy that is gone or back, or stands otherwise to its record than before. Whatever else changes is told by whoever changes it.
CREATE FUNCTION flagstone_note_copies() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
  ids bigint[] := array(SELECT DISTINCT n.sound_id FROM after n JOIN before o ON o.id = n.id
    WHERE (o.gone, o.changed_outside, o.carries_revision, o.cleared_at) IS DISTINCT FROM (n.gone, n.changed_outside, n.carries_revision, n.cleared_at));
BEGIN
  IF ids = '{}' THEN RETURN NULL; END IF;
  -- In the order of their numbers, as everybody takes them; then what others that held them have written is read.
  PERFORM FROM search_rows WHERE sound_id = ANY (ids) ORDER BY sound_id FOR UPDATE;
  UPDATE search_rows f SET name = lower(left(c.name, 200)), path = lower(left(c.folder || '/' || c.name, 250)), container = c.container,
    drive_id = c.drive_id, state = flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision),
    copies = (SELECT least(count(*), 32767) FROM copies k WHERE k.sound_id = f.sound_id AND NOT k.gone), terms = flagstone_terms(f.sound_id)
  FROM unnest(ids) i(id) JOIN records r ON r.sound_id = i.id
  CROSS JOIN LATERAL (SELECT * FROM copies k WHERE k.sound_id = i.id ORDER BY k.gone, k.id LIMIT 1) c
  WHERE f.sound_id = i.id;
  RETURN NULL;
END
$$;--> statement-breakpoint
CREATE TRIGGER copies_stand_otherwise AFTER UPDATE ON copies REFERENCING OLD TABLE AS before NEW TABLE AS after FOR EACH STATEMENT EXECUTE FUNCTION flagstone_note_copies();--> statement-breakpoint
-- All rows anew, without the old ones beside them.
CREATE TEMPORARY TABLE used_before AS SELECT sound_id, uses FROM search_rows WHERE uses > 0;--> statement-breakpoint
TRUNCATE search_rows;--> statement-breakpoint
SELECT flagstone_refresh_search(coalesce(array_agg(sound_id), '{}')) FROM records;--> statement-breakpoint
UPDATE search_rows f SET uses = u.uses FROM used_before u WHERE u.sound_id = f.sound_id;--> statement-breakpoint
DROP TABLE used_before;--> statement-breakpoint
CREATE INDEX "search_rows_words" ON "search_rows" USING gin ("bucket","eighth","merit","search","terms","channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_sample" ON "search_rows" USING btree ("sound_id","bucket","category","sub_category","cat_id","form","channels","duration_seconds","sample_rate_hz","bit_depth","loudness_lufs","rating","library","publisher","creator","licence","container","drive_id","filed") WHERE "search_rows"."filed" and "search_rows"."bucket" = 0;--> statement-breakpoint
CREATE INDEX "search_rows_names" ON "search_rows" USING gin ("merit",flagstone_names("search"),"channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_merit" ON "search_rows" USING btree ("merit","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_name" ON "search_rows" USING btree ("name","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_fx_name" ON "search_rows" USING btree ("fx_name","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_category" ON "search_rows" USING btree ("category","sub_category","cat_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_cat_id" ON "search_rows" USING btree ("cat_id","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_library" ON "search_rows" USING btree (lower("library"),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_length" ON "search_rows" USING btree ("duration_seconds","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_uses" ON "search_rows" USING btree ("uses","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_filed" ON "search_rows" USING btree ("sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_path" ON "search_rows" USING btree ("path","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_state" ON "search_rows" USING btree ("state","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_channels" ON "search_rows" USING btree ("channels","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_rate" ON "search_rows" USING btree ("sample_rate_hz","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_depth" ON "search_rows" USING btree ("bit_depth","sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_loudness" ON "search_rows" USING btree (coalesce("loudness_lufs", -1000),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_rating" ON "search_rows" USING btree (coalesce("rating", 0),"sound_id") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_peak" ON "search_rows" USING btree ("true_peak_dbtp") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_created" ON "search_rows" USING btree ("created_at") WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_copies" ON "search_rows" USING btree ("copies") WHERE "search_rows"."filed" and "search_rows"."copies" <> 1;--> statement-breakpoint
CREATE INDEX "search_rows_weight" ON "search_rows" USING btree ("weight") WHERE "search_rows"."filed" and "search_rows"."weight" is not null;--> statement-breakpoint
CREATE INDEX "search_rows_activity" ON "search_rows" USING btree ("activity") WHERE "search_rows"."filed" and "search_rows"."activity" is not null;--> statement-breakpoint
CREATE INDEX "search_rows_tempo" ON "search_rows" USING btree ("tempo") WHERE "search_rows"."filed" and "search_rows"."tempo" is not null;--> statement-breakpoint
-- A list as lists are sorted by it.
CREATE FUNCTION flagstone_list(list text[]) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE AS $$
BEGIN
  RETURN lower(left(array_to_string(list, ', '), 60));
END
$$;--> statement-breakpoint
CREATE INDEX "records_description" ON "records" USING btree (lower(left("description", 60)),"sound_id");--> statement-breakpoint
CREATE INDEX "records_keywords" ON "records" USING btree (flagstone_list("keywords"),"sound_id");--> statement-breakpoint
CREATE INDEX "records_creator_id" ON "records" USING btree (left("creator_id", 60),"sound_id");--> statement-breakpoint
CREATE INDEX "records_source_id" ON "records" USING btree (left("source_id", 60),"sound_id");--> statement-breakpoint
-- Of what a partial index is made of PostgreSQL uses no statistics, and takes one in three for granted, or one in two hundred.
CREATE STATISTICS search_rows_loud ON (coalesce(loudness_lufs, -1000)) FROM search_rows;--> statement-breakpoint
CREATE STATISTICS search_rows_rated ON (coalesce(rating, 0)) FROM search_rows;--> statement-breakpoint
CREATE STATISTICS search_rows_of_library ON (lower(library)) FROM search_rows;--> statement-breakpoint
ANALYZE search_rows;--> statement-breakpoint
ANALYZE records;
