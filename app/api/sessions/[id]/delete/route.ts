import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { setDeleted } from "@/server/services/sessions";

export const POST = answer(async (_request, { id = "" }) => {
  await setDeleted(database().db, id, true);
  return Response.json({ deleted: true });
});
