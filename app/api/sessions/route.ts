import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { newSessionBody } from "@/contract/operations";
import { createSession, listSessions } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = answer(async () => Response.json(await listSessions(database().db)));

export const POST = answer(async (request) => {
  const { id, document } = await bodyOf(request, newSessionBody);
  return Response.json(await createSession(database().db, document, id), { status: 201 });
});
