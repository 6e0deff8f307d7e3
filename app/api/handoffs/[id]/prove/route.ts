import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { requestProof } from "@/server/services/handoffs";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "" }) =>
  Response.json(await requestProof(database().db, id), { status: 202 }),
);
