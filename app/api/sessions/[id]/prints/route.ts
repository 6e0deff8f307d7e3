import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestJob } from "@/server/services/jobs";
import { listPrints } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/prints", ({ params }) => listPrints(database().db, params.id));

export const POST = route("POST /api/sessions/{id}/prints", ({ params, body: slip }) =>
  requestJob(database().db, params.id, { kind: "print", slip }),
);
