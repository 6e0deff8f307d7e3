import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { refuseUnknownUploads } from "@/server/services/audio";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/missing", async ({ params, body }) => {
  await refuseUnknownUploads(body.files);
  return requestJob(database().db, params.id, { kind: "supply", ...body });
});
