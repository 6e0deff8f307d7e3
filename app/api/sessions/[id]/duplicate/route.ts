import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { duplicateSession } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/duplicate", ({ params }) =>
  duplicateSession(database().db, params.id),
);
