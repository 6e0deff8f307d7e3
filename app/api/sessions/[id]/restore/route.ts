import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { setDeleted } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/sessions/{id}/restore", async ({ params }) => {
  await setDeleted(database().db, params.id, false);
  return { deleted: false as const };
});
