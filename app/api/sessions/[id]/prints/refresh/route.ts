import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { refreshBody } from "@/contract/job";
import { requestRefresh } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) =>
  Response.json(await requestRefresh(database().db, id, await bodyOf(request, refreshBody)), { status: 202 }),
);
