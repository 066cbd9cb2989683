CREATE TABLE "api_tokens" (
	"id" serial PRIMARY KEY NOT NULL,
	"digest" "bytea" NOT NULL,
	"person_id" integer NOT NULL,
	"name" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ends_at" timestamp with time zone NOT NULL,
	"used_at" timestamp with time zone,
	CONSTRAINT "api_tokens_digest_unique" UNIQUE("digest")
);
--> statement-breakpoint
CREATE TABLE "audit_log" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"happened_at" timestamp with time zone DEFAULT now() NOT NULL,
	"person_id" integer,
	"person_name" text NOT NULL,
	"what" text NOT NULL,
	"about" text NOT NULL,
	"address" text NOT NULL,
	"refused" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE "passkey_challenges" (
	"challenge" text PRIMARY KEY NOT NULL,
	"person_id" integer,
	"ends_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "passkeys" (
	"id" serial PRIMARY KEY NOT NULL,
	"credential_id" text NOT NULL,
	"person_id" integer NOT NULL,
	"public_key" "bytea" NOT NULL,
	"counter" bigint NOT NULL,
	"transports" text[] NOT NULL,
	"name" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"used_at" timestamp with time zone,
	CONSTRAINT "passkeys_credential_id_unique" UNIQUE("credential_id")
);
--> statement-breakpoint
CREATE TABLE "sessions" (
	"id" serial PRIMARY KEY NOT NULL,
	"digest" "bytea" NOT NULL,
	"person_id" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"seen_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ends_at" timestamp with time zone NOT NULL,
	"browser" text NOT NULL,
	"address" text NOT NULL,
	CONSTRAINT "sessions_digest_unique" UNIQUE("digest")
);
--> statement-breakpoint
CREATE TABLE "sign_in_failures" (
	"key" text PRIMARY KEY NOT NULL,
	"failures" integer NOT NULL,
	"last_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sign_in_links" (
	"digest" "bytea" PRIMARY KEY NOT NULL,
	"person_id" integer,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ends_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "account" text;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "password_hash" text;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "is_administrator" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "created_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "ended_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "api_tokens" ADD CONSTRAINT "api_tokens_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "passkey_challenges" ADD CONSTRAINT "passkey_challenges_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "passkeys" ADD CONSTRAINT "passkeys_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sign_in_links" ADD CONSTRAINT "sign_in_links_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "audit_log_what" ON "audit_log" USING btree ("what","id");--> statement-breakpoint
CREATE INDEX "passkeys_person" ON "passkeys" USING btree ("person_id");--> statement-breakpoint
CREATE INDEX "sessions_person" ON "sessions" USING btree ("person_id");--> statement-breakpoint
ALTER TABLE "people" ADD CONSTRAINT "people_account_unique" UNIQUE("account");