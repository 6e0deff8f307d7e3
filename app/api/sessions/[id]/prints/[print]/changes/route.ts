import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { changesSince } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { id = "", print = "" }) =>
  Response.json(await changesSince(database().db, id, print)),
);
