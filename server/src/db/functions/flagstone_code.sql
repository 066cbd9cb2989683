-- What stands before the words of a field: one letter for the fields that most sounds have, since a million sounds have forty million words.
create or replace function flagstone_code(field text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE field WHEN 'description' THEN 'd' WHEN 'keywords' THEN 'k' WHEN 'fxname' THEN 'f' WHEN 'name' THEN 'n' WHEN 'folder' THEN 'p'
    WHEN 'library' THEN 'l' WHEN 'category' THEN 'g' WHEN 'subcategory' THEN 's' WHEN 'catid' THEN 'i' WHEN 'creator' THEN 'c'
    WHEN 'licence' THEN 'y' WHEN 'infile' THEN 'w' ELSE field END
$$;
