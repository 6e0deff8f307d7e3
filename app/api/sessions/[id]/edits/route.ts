import { database } from "@/server/db/connect";
import { route, reply } from "@/server/http/operation";
import { postSteps } from "@/server/services/steps";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/edits", async ({ params, body: { base, steps, rebase } }) => {
  const posted = await postSteps(database().db, params.id, base, steps, rebase);
  const { revision } = posted;
  return posted.outcome === "stored"
    ? { revision, ...(posted.missing ? { missing: [...posted.missing] } : {}) }
    : reply("POST /api/sessions/{id}/edits", 409, { revision, missing: posted.missing });
});
