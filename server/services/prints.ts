import { randomUUID } from "node:crypto";
import { commitStep, unfreezeStep } from "../../core/printing/freeze";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import { refuse } from "../../core/session/problem";
import { asc, desc, eq } from "drizzle-orm";
import type { PrintRecord } from "../../contract/print";
import type { Db } from "../db/connect";
import { lineage } from "../db/schema";
import { invalid } from "../fault";
import { appendStep } from "./sessions";

/** Lets tracks play their live source again. Returns the new revision. */
export const unfreeze = (db: Db, session: string, tracks: readonly string[]): Promise<number> =>
  documentStep(db, session, "These tracks cannot be unfrozen.", (document) => {
    const missing = tracks.find((id) => !document.tracks.find((t) => t.id === id)?.frozen);
    return missing === undefined ? { ok: true, value: unfreezeStep(document, tracks) } : refuse(missing, "is not a frozen track");
  });

/** Makes freezes permanent. Returns the new revision. */
export const commit = (db: Db, session: string, tracks: readonly string[]): Promise<number> =>
  documentStep(db, session, "These tracks cannot be committed.", (document) => commitStep(document, tracks, randomUUID));

/** Every print of a session, newest first. */
export async function listPrints(db: Db, session: string): Promise<readonly PrintRecord[]> {
  const rows = await db.select().from(lineage).where(eq(lineage.sessionId, session)).orderBy(desc(lineage.madeAt), asc(lineage.name));
  return rows.map(({ sessionId: _session, madeAt, ...row }) => ({ ...row, madeAt: madeAt.toISOString() }));
}

const documentStep = (db: Db, session: string, refusal: string, make: (document: Session) => Checked<Step>): Promise<number> =>
  db.transaction((tx) =>
    appendStep(tx, session, randomUUID(), (document) => {
      const step = make(document);
      if (!step.ok) throw invalid(refusal, step.problems);
      return step.value;
    }),
  );
