import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { readOverview } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = route(
  "GET /api/audio/{hash}/overview",
  async ({ params }) =>
    new Response(new Uint8Array(await readOverview(database().db, params.hash)), {
      headers: { "Content-Type": "application/octet-stream", "Cache-Control": "private, max-age=31536000, immutable" },
    }),
);
