ALTER TABLE "handoffs" ALTER COLUMN "proof" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "handoffs" ADD COLUMN "manifest" jsonb;--> statement-breakpoint
ALTER TABLE "handoffs" ADD COLUMN "bytes" bigint;--> statement-breakpoint
UPDATE "handoffs" SET "manifest" = "proof"->'manifest', "bytes" = ("proof"->>'zipBytes')::bigint;--> statement-breakpoint
ALTER TABLE "handoffs" ALTER COLUMN "manifest" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "handoffs" ALTER COLUMN "bytes" SET NOT NULL;
