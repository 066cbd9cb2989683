ALTER TABLE "sounds" ADD COLUMN "is_cut_short" boolean DEFAULT false NOT NULL;--> statement-breakpoint
CREATE INDEX "sounds_cut_short" ON "sounds" USING btree ("id") WHERE "sounds"."is_cut_short";--> statement-breakpoint
-- What was decoded when FLAC files were measured counts exactly: where it is less than STREAMINFO says, the file was cut short.
UPDATE sounds s SET is_cut_short = true, duration_seconds = m.seconds, frames = round(m.seconds * s.sample_rate_hz)
FROM (SELECT sound_id, (measures ->> 'durationSeconds')::float8 AS seconds FROM analyses WHERE measures IS NOT NULL) m
WHERE m.sound_id = s.id AND s.codec = 'FLAC' AND s.frames > 0 AND m.seconds < s.duration_seconds - 0.01;
--> statement-breakpoint
-- A sound's length is known for certain only when it was decoded: the row that is searched follows it.
CREATE OR REPLACE FUNCTION flagstone_note_filed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  -- In the order of their numbers, as everybody takes them: two that write then wait for each other and never both.
  PERFORM FROM search_rows f JOIN after n ON n.id = f.sound_id
  WHERE f.filed <> (n.filed_at IS NOT NULL AND f.path <> '') OR f.duration_seconds <> n.duration_seconds ORDER BY f.sound_id FOR UPDATE OF f;
  UPDATE search_rows f SET filed = n.filed_at IS NOT NULL AND f.path <> '', duration_seconds = n.duration_seconds FROM after n
  WHERE f.sound_id = n.id AND (f.filed <> (n.filed_at IS NOT NULL AND f.path <> '') OR f.duration_seconds <> n.duration_seconds);
  RETURN NULL;
END
$$;
--> statement-breakpoint
UPDATE search_rows f SET duration_seconds = s.duration_seconds FROM sounds s
WHERE s.id = f.sound_id AND f.duration_seconds <> s.duration_seconds;
