ALTER TABLE "copies" ADD COLUMN "disagreeing" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
CREATE INDEX "copies_disagreeing" ON "copies" USING gin ("disagreeing");