ALTER TABLE "handoffs" DROP CONSTRAINT "handoffs_mix_before_assets_hash_fk";
--> statement-breakpoint
ALTER TABLE "handoffs" DROP COLUMN "mix_before";