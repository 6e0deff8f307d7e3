import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { editsBody } from "@/contract/operations";
import { postSteps } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) => {
  const { base, steps } = await bodyOf(request, editsBody);
  const posted = await postSteps(database().db, id, base, steps);
  return posted.outcome === "stored"
    ? Response.json({ revision: posted.revision })
    : Response.json({ revision: posted.revision, missing: posted.missing }, { status: 409 });
});
