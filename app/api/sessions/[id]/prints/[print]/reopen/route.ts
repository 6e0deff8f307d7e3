import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { reopen } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "", print = "" }) =>
  Response.json(await reopen(database().db, id, print)),
);
