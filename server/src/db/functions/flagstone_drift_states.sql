-- What one copy counts as in the matrix of drift; in none where somebody took it off the lists. A copy whose sound is in preparation counts apart. Never proved and damaged
-- are files that are there, beside the state that they have.
create or replace function flagstone_drift_states(gone boolean, cleared boolean, changed_outside boolean, carries integer, unproved boolean, damaged boolean, revision integer, filed boolean) RETURNS text[] LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE
    WHEN gone AND cleared THEN '{}'::text[]
    ELSE array_remove(ARRAY[
      CASE WHEN filed THEN '' ELSE 'preparing ' END || flagstone_state(gone, changed_outside, carries, revision),
      CASE WHEN unproved AND NOT gone THEN CASE WHEN filed THEN 'unproved' ELSE 'preparing unproved' END END,
      CASE WHEN damaged AND NOT gone THEN CASE WHEN filed THEN 'damaged' ELSE 'preparing damaged' END END], NULL)
  END
$$;
