import { eq, sql } from "drizzle-orm";
import { SESSION_VERSION } from "../../core/session/version";
import { readSession } from "../../core/session/read";
import type { Db } from "../db/connect";
import { sessions } from "../db/schema";

/**
 * Brings stored documents of earlier versions to today's, before anything reads them. A document is only written where
 * it can be read; answers with the ids of those that cannot, which are left as they are.
 */
export async function upgradeDocuments(db: Db): Promise<readonly string[]> {
  const left: string[] = [];
  const old = await db
    .select({ id: sessions.id, document: sessions.document })
    .from(sessions)
    .where(sql`(${sessions.document}->>'version')::int < ${SESSION_VERSION}`);
  for (const { id, document } of old) {
    const read = readSession(document);
    if (read.ok) await db.update(sessions).set({ document: read.value }).where(eq(sessions.id, id));
    else left.push(id);
  }
  return left;
}
