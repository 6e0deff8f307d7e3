import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { compareVersions } from "@/server/services/history";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/history/compare", ({ params, body }) =>
  compareVersions(database().db, params.id, body),
);
