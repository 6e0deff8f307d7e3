CREATE TABLE "lineage" (
	"id" text PRIMARY KEY NOT NULL,
	"session_id" text NOT NULL,
	"job" text NOT NULL,
	"asset" text NOT NULL,
	"name" text NOT NULL,
	"slip" jsonb NOT NULL,
	"sources" jsonb NOT NULL,
	"fingerprint" text NOT NULL,
	"revision_before" integer NOT NULL,
	"revision_after" integer NOT NULL,
	"residue_db" real,
	"checked" boolean DEFAULT false NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "lineage" ADD CONSTRAINT "lineage_session_id_sessions_id_fk" FOREIGN KEY ("session_id") REFERENCES "public"."sessions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "lineage" ADD CONSTRAINT "lineage_asset_assets_hash_fk" FOREIGN KEY ("asset") REFERENCES "public"."assets"("hash") ON DELETE no action ON UPDATE no action;