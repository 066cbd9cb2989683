-- Folders that went to other collections take their copies along.
create or replace function flagstone_note_folders() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM flagstone_note_collections(array(SELECT DISTINCT c.sound_id FROM copies c WHERE c.read_folder_id IN (
    SELECT n.id FROM after n JOIN before o ON o.id = n.id WHERE o.collection_id <> n.collection_id)));
  RETURN NULL;
END
$$;
