import { health } from "@/server/services/health";
import { reply, route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/health", async () => {
  const found = await health();
  return reply("GET /api/health", found.ok ? 200 : 503, found);
});
