import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { listHandoffs } from "@/server/services/handoffs";
import { readRevision } from "@/server/services/sessions";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "" }) => {
  await readRevision(database().db, id);
  return Response.json(await listHandoffs(database().db, id));
});
