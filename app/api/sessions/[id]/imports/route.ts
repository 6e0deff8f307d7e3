import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { importBody } from "@/contract/operations";
import { refuseUnknownUploads } from "@/server/services/audio";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) => {
  const body = await bodyOf(request, importBody);
  await refuseUnknownUploads(body.files);
  return Response.json(await requestJob(database().db, id, { kind: "import", ...body }), { status: 202 });
});
