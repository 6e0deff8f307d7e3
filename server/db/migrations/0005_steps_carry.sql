ALTER TABLE "sessions" ADD COLUMN "head" text;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "name" text;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "tracks" integer;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "document_revision" integer;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "undo_step" integer;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "redo_step" integer;--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "label" text;--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "below" integer;--> statement-breakpoint
-- Every document was written with every step: each is a snapshot of the revision it stands at.
UPDATE "sessions" SET
  "head" = COALESCE(
    (SELECT "step_id" FROM "steps" WHERE "session_id" = "sessions"."id" AND "steps"."revision" = "sessions"."revision"),
    gen_random_uuid()::text
  ),
  "name" = COALESCE("document"->>'name', ''),
  "tracks" = CASE jsonb_typeof("document"->'tracks') WHEN 'array' THEN jsonb_array_length("document"->'tracks') ELSE 0 END,
  "document_revision" = "revision",
  "undo_step" = ("undo"->>-1)::integer,
  "redo_step" = ("redo"->>-1)::integer;--> statement-breakpoint
UPDATE "steps" SET "label" = COALESCE("step"->>'label', '');--> statement-breakpoint
-- A stack was a list of revisions, newest last; now each step knows the one below it.
UPDATE "steps" SET "below" = "stacks"."below" FROM (
  SELECT "id", "revision", lag("revision") OVER (PARTITION BY "id", "stack" ORDER BY "place") AS "below" FROM (
    SELECT "id", 'undo' AS "stack", "value"::integer AS "revision", "place"
      FROM "sessions", jsonb_array_elements_text("undo") WITH ORDINALITY AS "of_undo" ("value", "place")
    UNION ALL
    SELECT "id", 'redo', "value"::integer, "place"
      FROM "sessions", jsonb_array_elements_text("redo") WITH ORDINALITY AS "of_redo" ("value", "place")
  ) AS "listed"
) AS "stacks" WHERE "steps"."session_id" = "stacks"."id" AND "steps"."revision" = "stacks"."revision";--> statement-breakpoint
ALTER TABLE "sessions" ALTER COLUMN "head" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "sessions" ALTER COLUMN "name" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "sessions" ALTER COLUMN "tracks" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "sessions" ALTER COLUMN "document_revision" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "steps" ALTER COLUMN "label" SET NOT NULL;
