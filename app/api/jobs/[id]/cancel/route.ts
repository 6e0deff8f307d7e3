import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { cancelJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "" }) => Response.json(await cancelJob(database().db, id)));
