import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { readState } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "" }) => Response.json(await readState(database().db, id)));
