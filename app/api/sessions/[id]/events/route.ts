import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { sessionEvents } from "@/server/http/session-events";
import { readRevision } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions/{id}/events", async ({ request, params: { id }, query }) => {
  const revision = await readRevision(database().db, id);
  const after = Number(request.headers.get("last-event-id") ?? query.after ?? revision);
  return new Response(sessionEvents(id, Number.isInteger(after) ? after : revision, request.signal), {
    headers: { "Content-Type": "text/event-stream", "Cache-Control": "no-cache, no-transform" },
  });
});
