DROP INDEX "search_rows_words";--> statement-breakpoint
DROP INDEX "search_rows_names";--> statement-breakpoint
CREATE INDEX "search_rows_words" ON "search_rows" USING gin ("bucket","eighth","merit","search","channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
CREATE INDEX "search_rows_names" ON "search_rows" USING gin ("merit",flagstone_names("search"),"channels","form","category","cat_id",lower("library")) WHERE "search_rows"."filed";--> statement-breakpoint
-- Two thousand words are known with their numbers instead of one thousand: of any other PostgreSQL expects half as many sounds as of the rarest of them, which was too
-- many, at a million sounds, to count them one by one.
ALTER TABLE "search_rows" ALTER COLUMN "search" SET STATISTICS 200;
--> statement-breakpoint
ALTER STATISTICS search_rows_named SET STATISTICS 200;
--> statement-breakpoint
ANALYZE search_rows;
