import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { tracksBody } from "@/contract/operations";
import { commit } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) => {
  const { tracks } = await bodyOf(request, tracksBody);
  return Response.json({ revision: await commit(database().db, id, tracks) });
});
