import { route, reply } from "@/server/http/operation";
import { readOnsets } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/audio/{hash}/onsets", async ({ params }) =>
  reply("GET /api/audio/{hash}/onsets", 200, await readOnsets(params.hash), {
    "Cache-Control": "private, max-age=31536000, immutable",
  }),
);
