ALTER TABLE "copies" ADD COLUMN "cleared_at" timestamp with time zone;--> statement-breakpoint
CREATE INDEX "copies_name" ON "copies" USING btree (lower("name"),"sound_id");--> statement-breakpoint
CREATE INDEX "copies_lost" ON "copies" USING btree ("id") WHERE "copies"."gone" and "copies"."cleared_at" is null;