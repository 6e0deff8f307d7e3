import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readHistory } from "@/server/services/history";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/history", ({ params, query }) =>
  readHistory(database().db, params.id, query),
);
