import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { readHandoff } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "" }) => Response.json(await readHandoff(database().db, id)));
