import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { listHandoffs } from "@/server/services/handoffs";
import { readRevision } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/handoffs", async ({ params: { id } }) => {
  await readRevision(database().db, id);
  return listHandoffs(database().db, id);
});
