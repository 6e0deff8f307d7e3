import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { requestJob } from "@/server/services/jobs";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "" }) =>
  Response.json(await requestJob(database().db, id, { kind: "load" }), { status: 202 }),
);
