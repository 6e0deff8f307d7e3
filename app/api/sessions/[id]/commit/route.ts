import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { commit } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/commit", async ({ params, body }) => ({
  revision: await commit(database().db, params.id, body.tracks),
}));
