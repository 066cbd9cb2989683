CREATE TABLE "fingerprints" (
	"sound_id" bigint PRIMARY KEY NOT NULL,
	"version" smallint NOT NULL,
	"print" "bytea" NOT NULL,
	"heard_seconds" real NOT NULL,
	"centre_hz" real NOT NULL,
	"keys" integer[] NOT NULL,
	"is_compared" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE "same_recordings" (
	"sound_id" bigint NOT NULL,
	"other_id" bigint NOT NULL,
	"difference" real NOT NULL,
	"is_certain" boolean NOT NULL,
	CONSTRAINT "same_recordings_sound_id_other_id_pk" PRIMARY KEY("sound_id","other_id")
);
--> statement-breakpoint
ALTER TABLE "fingerprints" ADD CONSTRAINT "fingerprints_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "same_recordings" ADD CONSTRAINT "same_recordings_sound_id_sounds_id_fk" FOREIGN KEY ("sound_id") REFERENCES "public"."sounds"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "same_recordings" ADD CONSTRAINT "same_recordings_other_id_sounds_id_fk" FOREIGN KEY ("other_id") REFERENCES "public"."sounds"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "fingerprints_keys" ON "fingerprints" USING gin ("keys") WITH (fastupdate=false);--> statement-breakpoint
CREATE INDEX "fingerprints_waiting" ON "fingerprints" USING btree ("sound_id") WHERE not "fingerprints"."is_compared";--> statement-breakpoint
CREATE INDEX "same_recordings_other" ON "same_recordings" USING btree ("other_id");