CREATE TABLE "versions" (
	"session_id" text NOT NULL,
	"revision" integer NOT NULL,
	"name" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "versions_session_id_revision_pk" PRIMARY KEY("session_id","revision")
);
--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "how" text DEFAULT 'edit' NOT NULL;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_session_id_sessions_id_fk" FOREIGN KEY ("session_id") REFERENCES "public"."sessions"("id") ON DELETE cascade ON UPDATE no action;