-- How a copy stands to the record of its sound.
create or replace function flagstone_state(gone boolean, changed_outside boolean, carries integer, revision integer) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE WHEN gone THEN 'gone' WHEN changed_outside AND carries < revision THEN 'split' WHEN changed_outside THEN 'ahead'
    WHEN carries < revision THEN 'behind' ELSE 'inStep' END
$$;
