import { sql } from "drizzle-orm";
import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/health", async () => {
  await database().db.execute(sql`select 1`);
  return { ok: true as const };
});
