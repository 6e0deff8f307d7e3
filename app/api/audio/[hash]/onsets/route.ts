import { answer } from "@/server/http/answer";
import { readOnsets } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { hash = "" }) =>
  Response.json(await readOnsets(hash), { headers: { "Cache-Control": "private, max-age=31536000, immutable" } }),
);
