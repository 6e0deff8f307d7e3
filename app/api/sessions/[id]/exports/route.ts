import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestExport } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/exports", ({ params, body }) =>
  requestExport(database().db, params.id, body),
);
