create or replace function flagstone_note_marked() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE marked bigint := coalesce(NEW.sound_id, OLD.sound_id);
BEGIN
  UPDATE search_rows f SET rating = n.rating, merit = f.merit + 2 * (coalesce(n.rating, 0) - coalesce(f.rating, 0))
  FROM (SELECT coalesce((SELECT round(avg(p.rating)) FROM sound_marks p WHERE p.sound_id = r.sound_id)::smallint, r.rating) AS rating
    FROM records r WHERE r.sound_id = marked) n
  WHERE f.sound_id = marked AND f.rating IS DISTINCT FROM n.rating;
  RETURN NULL;
END
$$;
