-- Makes the rows of sounds anew, with what fields find. How often a sound was used is kept.
create or replace function flagstone_refresh_search(ids bigint[]) RETURNS void LANGUAGE sql AS $$
  SELECT flagstone_make_sets(ids);
  INSERT INTO search_rows AS f (sound_id, filed, search, terms, name, path, state, container, drive_id, fx_name, category, sub_category, cat_id, form, library,
    publisher, creator, licence, rating, channels, sample_rate_hz, bit_depth, duration_seconds, loudness_lufs, true_peak_dbtp, channel_layout,
    weight, activity, tempo, copies, merit, collection_set, created_at)
  SELECT s.id, s.filed_at IS NOT NULL AND k.names IS NOT NULL, flagstone_search(r, coalesce(k.paths, '')), flagstone_terms(s.id), coalesce(left(k.names[1], 200), ''),
    coalesce(left(k.places[1], 250), ''), coalesce(k.states[1], ''), coalesce(k.containers[1], ''), k.drives[1], lower(left(r.fx_name, 200)), left(r.category, 80), left(r.sub_category, 80), left(r.cat_id, 40),
    r.form, left(r.library, 80), left(r.publisher, 80), left(r.creator, 80), left(r.licence, 80), m.rating, s.channels, s.sample_rate_hz, s.bit_depth, s.duration_seconds, a.loudness_lufs, a.true_peak_dbtp,
    coalesce(a.channel_layout, ''), r.weight, r.activity, r.tempo, least(k.present, 32767),
    2 * coalesce(m.rating, 0) + (r.fx_name <> '')::int + (r.cat_id <> '')::int + (r.description <> '')::int + (cardinality(r.keywords) > 0)::int +
      (r.library <> '')::int + (r.creator <> '')::int + (r.form <> '')::int + (r.licence <> '')::int,
    flagstone_set_of(h.held), s.created_at
  FROM flagstone_collections_of(ids) h JOIN sounds s ON s.id = h.sound_id JOIN records r ON r.sound_id = s.id LEFT JOIN analyses a ON a.sound_id = s.id
  CROSS JOIN LATERAL (
    SELECT string_agg(c.folder || '/' || c.name, ' ' ORDER BY c.id) AS paths, array_agg(lower(c.name) ORDER BY c.gone, c.id) AS names,
      array_agg(c.container ORDER BY c.gone, c.id) AS containers, array_agg(c.drive_id ORDER BY c.gone, c.id) AS drives,
      array_agg(lower(c.folder || '/' || c.name) ORDER BY c.gone, c.id) AS places, count(*) FILTER (WHERE NOT c.gone) AS present,
      array_agg(flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision) ORDER BY c.gone, c.id) AS states
    FROM copies c WHERE c.sound_id = s.id) k
  CROSS JOIN LATERAL (SELECT coalesce((SELECT round(avg(p.rating)) FROM sound_marks p WHERE p.sound_id = s.id)::smallint, r.rating) AS rating) m
  ORDER BY s.id
  ON CONFLICT (sound_id) DO UPDATE SET (filed, search, terms, name, path, state, container, drive_id, fx_name, category, sub_category, cat_id, form, library, publisher,
    creator, licence, rating, loudness_lufs, true_peak_dbtp, channel_layout, weight, activity, tempo, copies, merit, collection_set) = (excluded.filed, excluded.search, excluded.terms,
    excluded.name, excluded.path, excluded.state, excluded.container, excluded.drive_id, excluded.fx_name, excluded.category, excluded.sub_category, excluded.cat_id, excluded.form,
    excluded.library, excluded.publisher, excluded.creator, excluded.licence, excluded.rating, excluded.loudness_lufs, excluded.true_peak_dbtp,
    excluded.channel_layout, excluded.weight, excluded.activity, excluded.tempo, excluded.copies, excluded.merit, excluded.collection_set)
$$;
