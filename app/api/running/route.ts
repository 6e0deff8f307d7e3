import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { health } from "@/server/services/health";
import { runningState } from "@/server/services/running";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/running", async () => {
  const found = await health();
  return { health: found, now: found.database.ok ? await runningState(database().db) : null };
});
