import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { goBack } from "@/server/services/history";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/history/return", ({ params, body }) =>
  goBack(database().db, params.id, body.revision),
);
