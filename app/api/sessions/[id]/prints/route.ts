import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { slipSchema } from "@/core/printing/slip";
import { requestJob } from "@/server/services/jobs";
import { listPrints } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "" }) => Response.json(await listPrints(database().db, id)));

export const POST = answer(async (request, { id = "" }) => {
  const slip = await bodyOf(request, slipSchema);
  return Response.json(await requestJob(database().db, id, { kind: "print", slip }), { status: 202 });
});
