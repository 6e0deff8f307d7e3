import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { createSession, listSessions } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/sessions", () => listSessions(database().db));

export const POST = route("POST /api/sessions", ({ body }) => createSession(database().db, body.document, body.id));
