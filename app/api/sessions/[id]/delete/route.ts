import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { setDeleted } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/delete", async ({ params }) => {
  await setDeleted(database().db, params.id, true);
  return { deleted: true as const };
});
