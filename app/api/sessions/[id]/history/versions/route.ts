import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { nameVersion } from "@/server/services/history";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/history/versions", ({ params, body }) =>
  nameVersion(database().db, params.id, body),
);
