import { randomUUID } from "node:crypto";
import { desc, eq } from "drizzle-orm";
import type { BundleBeside } from "../../contract/bundle";
import { bundledHandoffSchema } from "../../contract/bundle";
import { parseManifest } from "../../core/delivery/manifest";
import type { Connection, Db } from "../db/connect";
import { handoffs, lineage, recipes } from "../db/schema";
import { listPrints } from "./prints";
import { listRecipes } from "./recipes";

/** What a bundle of a session holds beside its document and audio. */
export async function bundleBeside(db: Db, session: string): Promise<BundleBeside> {
  const rows = await db.select().from(handoffs).where(eq(handoffs.sessionId, session)).orderBy(desc(handoffs.madeAt));
  return {
    prints: await listPrints(db, session),
    recipes: await listRecipes(db),
    handoffs: rows.map(({ revision, fileName, facts, speed, madeAt, manifest, bytes }) =>
      bundledHandoffSchema.parse({
        revision,
        fileName,
        facts,
        speed,
        madeAt: madeAt.toISOString(),
        manifest: parseManifest(manifest),
        bytes,
      }),
    ),
  };
}

/**
 * Gives a session that was opened from a bundle what the bundle holds beside it. Its history stays behind, so that all
 * of it belongs to the session's first revision; of recipes those come along that are not there by the same name.
 */
export async function insertBundle(tx: Connection, session: string, beside: BundleBeside): Promise<void> {
  for (const { madeAt, ...print } of beside.prints)
    await tx.insert(lineage).values({
      ...print,
      // Its own belongs to the session that the bundle was made of.
      id: randomUUID(),
      sessionId: session,
      revisionBefore: 0,
      revisionAfter: 0,
      madeAt: new Date(madeAt),
    });
  const known = new Set((await tx.select({ name: recipes.name }).from(recipes)).map((r) => r.name));
  for (const { name, slip } of beside.recipes)
    if (!known.has(name)) await tx.insert(recipes).values({ id: randomUUID(), name, slip });
  for (const { madeAt, ...handoff } of beside.handoffs)
    await tx.insert(handoffs).values({
      ...handoff,
      id: randomUUID(),
      sessionId: session,
      revision: 0,
      whole: null,
      proof: null,
      madeAt: new Date(madeAt),
    });
}
