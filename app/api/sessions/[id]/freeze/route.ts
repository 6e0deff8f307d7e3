import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { tracksBody } from "@/contract/operations";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) => {
  const { tracks } = await bodyOf(request, tracksBody);
  return Response.json(await requestJob(database().db, id, { kind: "freeze", tracks }), { status: 202 });
});
