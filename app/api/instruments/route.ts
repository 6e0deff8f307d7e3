import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { refuseUnknownUploads } from "@/server/services/audio";
import { listInstrumentFiles } from "@/server/services/instruments";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/instruments", () => listInstrumentFiles(database().db));

export const POST = route("POST /api/instruments", async ({ body }) => {
  await refuseUnknownUploads(body.files);
  return requestJob(database().db, null, { kind: "add instruments", ...body });
});
