-- The text query over terms for what lies on drives, by words of their names or by the whole name.
create or replace function flagstone_on_drives(asked tsquery, named text) returns tsquery language plpgsql stable parallel safe as $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''drive=' || v.id || '''', ' | '), '')::tsquery
    FROM drives v WHERE CASE WHEN named = '' THEN to_tsvector('pg_catalog.english', flagstone_words(v.name)) @@ asked ELSE lower(v.name) = named END);
END
$$;
