import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { bodyOf as bodyOfJob } from "@/contract/job-kinds";
import { requestRefresh } from "@/server/services/prints";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) =>
  Response.json(await requestRefresh(database().db, id, await bodyOf(request, bodyOfJob("refresh"))), { status: 202 }),
);
