import { randomUUID } from "node:crypto";
import { commitStep, unfreezeStep } from "../../core/printing/freeze";
import type { Session } from "../../core/session/document";
import type { Step } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import { refuse } from "../../core/session/problem";
import type { Db } from "../db/connect";
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

const documentStep = (db: Db, session: string, refusal: string, make: (document: Session) => Checked<Step>): Promise<number> =>
  db.transaction((tx) =>
    appendStep(tx, session, randomUUID(), (document) => {
      const step = make(document);
      if (!step.ok) throw invalid(refusal, step.problems);
      return step.value;
    }),
  );
