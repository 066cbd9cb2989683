-- The words of names, keywords and categories. A function of our own, so that it can say what it costs: PostgreSQL takes its own for nothing, and goes through
-- twenty thousand sounds by merit rather than sort the five thousand that its index of words knows. Not for parallel work, which costs more than it saves here.
CREATE FUNCTION flagstone_names(words tsvector) RETURNS tsvector LANGUAGE plpgsql IMMUTABLE COST 300 AS $$
BEGIN
  RETURN ts_filter(words, '{a,b}');
END
$$;
--> statement-breakpoint
DROP STATISTICS search_rows_named;
--> statement-breakpoint
DROP INDEX "search_rows_names";
--> statement-breakpoint
CREATE INDEX "search_rows_names" ON "search_rows" USING gin (flagstone_names("search"),"channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";
--> statement-breakpoint
CREATE STATISTICS search_rows_named ON (flagstone_names(search)) FROM search_rows;
--> statement-breakpoint
ANALYZE search_rows;
