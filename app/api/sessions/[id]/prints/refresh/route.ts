import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestRefresh } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/prints/refresh", ({ params, body }) =>
  requestRefresh(database().db, params.id, body),
);
