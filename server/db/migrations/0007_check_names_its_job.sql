-- `print` named a job here and a print elsewhere.
UPDATE "jobs" SET "request" = jsonb_build_object('kind', 'check', 'job', "request"->'print')
  WHERE "request"->>'kind' = 'check' AND "request" ? 'print';--> statement-breakpoint
UPDATE "jobs" SET "result" = ("result" - 'print') || jsonb_build_object('job', "result"->'print')
  WHERE "result"->>'kind' = 'check' AND "result" ? 'print';
