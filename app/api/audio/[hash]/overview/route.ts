import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { readOverview } from "@/server/services/audio";

export const dynamic = "force-dynamic";

export const GET = answer(async (_request, { hash = "" }) => {
  const overview = await readOverview(database().db, hash);
  return new Response(new Uint8Array(overview), {
    headers: { "Content-Type": "application/octet-stream", "Cache-Control": "private, max-age=31536000, immutable" },
  });
});
