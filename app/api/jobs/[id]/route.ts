import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { readJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "" }) => Response.json(await readJob(database().db, id)));
