-- The text query over terms for what lies in a folder of the drives of that name, or below it.
create or replace function flagstone_in(drive text, folder text) returns tsquery language plpgsql stable parallel safe as $$
BEGIN
  RETURN (SELECT coalesce(string_agg('''/=' || flagstone_place(v.id, folder) || '''', ' | '), '')::tsquery
    FROM drives v WHERE replace(v.name, '/', ' ') = drive);
END
$$;
