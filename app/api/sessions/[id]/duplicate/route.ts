import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { duplicateSession } from "@/server/services/sessions";

export const POST = answer(async (_request, { id = "" }) =>
  Response.json(await duplicateSession(database().db, id), { status: 201 }),
);
