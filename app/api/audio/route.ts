import { database } from "@/server/db/connect";
import { answer, bodyStream } from "@/server/http/answer";
import { takeUpload } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const POST = answer(async (request) =>
  Response.json(await takeUpload(database().db, bodyStream(request)), { status: 201 }),
);
