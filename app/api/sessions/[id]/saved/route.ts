import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/saved", ({ params, body }) =>
  requestJob(database().db, params.id, { kind: "save audio", ...body }),
);
