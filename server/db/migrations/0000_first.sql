CREATE TABLE "assets" (
	"hash" text PRIMARY KEY NOT NULL,
	"rate" integer NOT NULL,
	"channels" integer NOT NULL,
	"depth" text NOT NULL,
	"frames" bigint NOT NULL,
	"bytes" bigint NOT NULL,
	"time_reference" bigint,
	"overview" "bytea" NOT NULL,
	"measures" jsonb NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "handoffs" (
	"id" text PRIMARY KEY NOT NULL,
	"session_id" text NOT NULL,
	"revision" integer NOT NULL,
	"file_name" text NOT NULL,
	"mix_before" text NOT NULL,
	"proof" jsonb NOT NULL,
	"speed" real NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "jobs" (
	"id" text PRIMARY KEY NOT NULL,
	"session_id" text NOT NULL,
	"request" jsonb NOT NULL,
	"status" text DEFAULT 'waiting' NOT NULL,
	"progress" jsonb NOT NULL,
	"result" jsonb,
	"fault" jsonb,
	"cancel_wanted" boolean DEFAULT false NOT NULL,
	"attempts" integer DEFAULT 0 NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "prints" (
	"fingerprint" text PRIMARY KEY NOT NULL,
	"asset" text NOT NULL,
	"session_id" text NOT NULL,
	"revision" integer NOT NULL,
	"source" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "render_processes" (
	"pool_id" text PRIMARY KEY NOT NULL,
	"lock" integer GENERATED ALWAYS AS IDENTITY (sequence name "render_processes_lock_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1)
);
--> statement-breakpoint
CREATE TABLE "sessions" (
	"id" text PRIMARY KEY NOT NULL,
	"revision" integer NOT NULL,
	"document" jsonb NOT NULL,
	"undo" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"redo" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"load" jsonb,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "steps" (
	"session_id" text NOT NULL,
	"revision" integer NOT NULL,
	"step_id" text NOT NULL,
	"step" jsonb NOT NULL,
	"inverse" jsonb NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "steps_session_id_revision_pk" PRIMARY KEY("session_id","revision")
);
--> statement-breakpoint
ALTER TABLE "handoffs" ADD CONSTRAINT "handoffs_session_id_sessions_id_fk" FOREIGN KEY ("session_id") REFERENCES "public"."sessions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "handoffs" ADD CONSTRAINT "handoffs_mix_before_assets_hash_fk" FOREIGN KEY ("mix_before") REFERENCES "public"."assets"("hash") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "jobs" ADD CONSTRAINT "jobs_session_id_sessions_id_fk" FOREIGN KEY ("session_id") REFERENCES "public"."sessions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "prints" ADD CONSTRAINT "prints_asset_assets_hash_fk" FOREIGN KEY ("asset") REFERENCES "public"."assets"("hash") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "steps" ADD CONSTRAINT "steps_session_id_sessions_id_fk" FOREIGN KEY ("session_id") REFERENCES "public"."sessions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "steps_id" ON "steps" USING btree ("session_id","step_id");