import { z } from "zod";
import { answer, queryOf } from "@/server/http/answer";
import { readSamples } from "@/server/services/audio";

export const dynamic = "force-dynamic";

const query = z.strictObject({
  from: z.coerce.number().int().min(0),
  frames: z.coerce.number().int().min(1).max(96000),
});

export const GET = answer(async (request, { hash = "" }) => {
  const { from, frames } = queryOf(request, query);
  return new Response(readSamples(hash, from, frames), {
    headers: { "Content-Type": "application/octet-stream", "Cache-Control": "private, max-age=31536000, immutable" },
  });
});
