import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { unfreeze } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/unfreeze", async ({ params, body }) => ({
  revision: await unfreeze(database().db, params.id, body.tracks),
}));
