CREATE TABLE "measuring_now" (
	"copy_id" bigint PRIMARY KEY NOT NULL,
	"begun" smallint NOT NULL
);
--> statement-breakpoint
ALTER TABLE "measuring_now" ADD CONSTRAINT "measuring_now_copy_id_copies_id_fk" FOREIGN KEY ("copy_id") REFERENCES "public"."copies"("id") ON DELETE cascade ON UPDATE no action;