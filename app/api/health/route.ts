import { sql } from "drizzle-orm";
import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";

export const dynamic = "force-dynamic";

export const GET = answer(async () => {
  await database().db.execute(sql`select 1`);
  return Response.json({ ok: true });
});
