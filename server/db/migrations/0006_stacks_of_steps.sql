ALTER TABLE "sessions" DROP COLUMN "undo";--> statement-breakpoint
ALTER TABLE "sessions" DROP COLUMN "redo";