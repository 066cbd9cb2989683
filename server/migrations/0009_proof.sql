ALTER TABLE "copies" ADD COLUMN "damaged_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "copies" ADD COLUMN "damage" jsonb;--> statement-breakpoint
ALTER TABLE "drives" ADD COLUMN "proof" jsonb;--> statement-breakpoint
ALTER TABLE "drives" ADD COLUMN "proof_queued_at" timestamp with time zone;--> statement-breakpoint
CREATE INDEX "copies_damaged" ON "copies" USING btree ("sound_id") WHERE "copies"."damaged_at" is not null;