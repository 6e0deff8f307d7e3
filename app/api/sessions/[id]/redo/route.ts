import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { travel } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "" }) => Response.json(await travel(database().db, id, "redo")));
