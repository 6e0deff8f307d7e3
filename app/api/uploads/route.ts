import { answer, bodyStream } from "@/server/http/answer";
import { keepUpload } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const POST = answer(async (request) => Response.json(await keepUpload(bodyStream(request)), { status: 201 }));
