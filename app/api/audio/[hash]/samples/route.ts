import { route } from "@/server/http/operation";
import { readSamples } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = route(
  "GET /api/audio/{hash}/samples",
  async ({ params, query }) =>
    new Response(await readSamples(params.hash, query), {
      headers: { "Content-Type": "application/octet-stream", "Cache-Control": "private, max-age=31536000, immutable" },
    }),
);
