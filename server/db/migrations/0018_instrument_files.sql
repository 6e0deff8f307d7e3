CREATE TABLE "instrument_files" (
	"hash" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"file_name" text NOT NULL,
	"bytes" bigint NOT NULL,
	"presets" jsonb NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
