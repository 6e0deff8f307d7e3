import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { requestDifferences } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/handoffs/{id}/differences", ({ params, body }) =>
  requestDifferences(database().db, params.id, body.earlier),
);
