-- Manifests name what lies beside the audio; in packages of before, nothing does.
UPDATE "handoffs" SET
  "manifest" = "manifest" || '{"version": 2, "papers": []}',
  "proof" = CASE WHEN "proof" IS NULL THEN NULL
    ELSE jsonb_set("proof", '{manifest}', ("proof"->'manifest') || '{"version": 2, "papers": []}') END
  WHERE "manifest"->>'version' = '1';
