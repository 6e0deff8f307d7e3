import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readInstrumentFile } from "@/server/services/instruments";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/instruments", async ({ params, body }) => {
  await readInstrumentFile(database().db, body.file);
  return requestJob(database().db, params.id, { kind: "put instrument", ...body });
});
