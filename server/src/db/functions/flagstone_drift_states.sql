-- What one copy counts as in the matrix of drift; in none where somebody took it off the lists. A copy whose sound is in preparation counts apart.
create or replace function flagstone_drift_states(gone boolean, cleared boolean, changed_outside boolean, carries integer, unproved boolean, revision integer, filed boolean) RETURNS text[] LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE
    WHEN gone AND cleared THEN '{}'::text[]
    WHEN NOT filed AND (gone OR NOT unproved) THEN ARRAY['preparing ' || flagstone_state(gone, changed_outside, carries, revision)]
    WHEN NOT filed THEN ARRAY['preparing ' || flagstone_state(gone, changed_outside, carries, revision), 'preparing unproved']
    WHEN gone OR NOT unproved THEN ARRAY[flagstone_state(gone, changed_outside, carries, revision)]
    ELSE ARRAY[flagstone_state(gone, changed_outside, carries, revision), 'unproved']
  END
$$;
