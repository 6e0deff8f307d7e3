import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { requestListening } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "", print = "" }) =>
  Response.json(await requestListening(database().db, id, print), { status: 202 }),
);
