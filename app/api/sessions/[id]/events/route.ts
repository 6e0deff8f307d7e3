import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { sessionEvents } from "@/server/http/session-events";
import { readRevision } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = answer(async (request, { id = "" }) => {
  const revision = await readRevision(database().db, id);
  const after = Number(
    request.headers.get("last-event-id") ?? new URL(request.url).searchParams.get("after") ?? revision,
  );
  return new Response(sessionEvents(id, Number.isInteger(after) ? after : revision, request.signal), {
    headers: { "Content-Type": "text/event-stream", "Cache-Control": "no-cache, no-transform" },
  });
});
