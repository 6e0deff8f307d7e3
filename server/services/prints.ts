import { randomUUID } from "node:crypto";
import { commitStep, unfreezeStep } from "../../core/printing/freeze";
import { planAgain } from "../../core/printing/refresh";
import { reopenStep } from "../../core/printing/reopen";
import type { Slip } from "../../core/printing/slip";
import { slipSchema } from "../../core/printing/slip-schema";
import type { Session } from "../../core/session/document";
import type { Edit, Step } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import { refuse } from "../../core/session/problem";
import { and, asc, desc, eq, gt, inArray } from "drizzle-orm";
import type { Job } from "../../contract/job";
import type { PrintRecord } from "../../contract/print";
import type { Connection, Db } from "../db/connect";
import { jobs, lineage } from "../db/schema";
import { invalid, notFound } from "../fault";
import { requestJob } from "./jobs";
import { documentAt, readDocument } from "./sessions";
import { appendStep, stepsAfter } from "./steps";
import { sayPlanned } from "../../core/words/refusals";

/** Lets tracks play their live source again. Returns the new revision. */
export const unfreeze = (db: Db, session: string, tracks: readonly string[]): Promise<number> =>
  documentStep(db, session, "These tracks cannot be unfrozen.", (document) => {
    const missing = tracks.find((id) => !document.tracks.find((t) => t.id === id)?.frozen);
    return missing === undefined
      ? { ok: true, value: unfreezeStep(document, tracks) }
      : refuse(missing, "is not a frozen track");
  });

/** Makes freezes permanent. Returns the new revision. */
export const commit = (db: Db, session: string, tracks: readonly string[]): Promise<number> =>
  documentStep(db, session, "These tracks cannot be committed.", (document) =>
    sayPlanned(commitStep(document, tracks, randomUUID)),
  );

/** Every print of a session, newest first. */
export async function listPrints(db: Db, session: string): Promise<readonly PrintRecord[]> {
  const rows = await db
    .select()
    .from(lineage)
    .where(eq(lineage.sessionId, session))
    .orderBy(desc(lineage.madeAt), asc(lineage.place));
  // Slips of earlier versions lack what came later.
  return rows.map(({ sessionId: _session, madeAt, ...row }) => ({
    ...row,
    slip: slipSchema.parse(row.slip),
    madeAt: madeAt.toISOString(),
  }));
}

async function printOf(db: Connection, session: string, id: string): Promise<typeof lineage.$inferSelect> {
  const [row] = await db
    .select()
    .from(lineage)
    .where(and(eq(lineage.sessionId, session), eq(lineage.id, id)));
  if (!row) throw notFound("such print");
  return { ...row, slip: slipSchema.parse(row.slip) };
}

/**
 * Asks for prints to be made again from their sources as they are now. What can be seen to be impossible is refused
 * now.
 */
export async function requestRefresh(
  db: Db,
  session: string,
  request: { readonly prints: readonly string[]; readonly withTail: boolean },
): Promise<Job> {
  const { document } = await readDocument(db, session);
  for (const id of request.prints) {
    const { slip, name } = await printOf(db, session, id);
    const plan = sayPlanned(planAgain(document, request.withTail ? { ...slip, tail: "measured" } : slip));
    if (!plan.ok)
      throw invalid(`"${name}" cannot be printed again.`, plan.problems, "Reopen its source, or fix what is listed.");
  }
  return requestJob(db, session, { kind: "refresh", prints: [...request.prints], withTail: request.withTail });
}

/** Asks for the mix before and after a print to be written, to be heard. */
export async function requestListening(db: Db, session: string, print: string): Promise<Job> {
  await printOf(db, session, print);
  return requestJob(db, session, { kind: "listen", print });
}

/**
 * Brings a print's source back as it was before it, and parks the print. Returns the new revision and the tracks that
 * came back.
 */
export async function reopen(
  db: Db,
  session: string,
  id: string,
): Promise<{ readonly revision: number; readonly tracks: readonly string[] }> {
  const row = await printOf(db, session, id);
  const origin = await originOf(db, session, row);
  const print = {
    slip: row.slip,
    place: row.place,
    printed: await documentAt(db, session, row.revisionBefore),
    before: await documentAt(db, session, origin.revisionBefore),
    after: await documentAt(db, session, origin.revisionAfter),
    files: await db
      .select({ place: lineage.place, asset: lineage.asset, name: lineage.name })
      .from(lineage)
      .where(and(eq(lineage.sessionId, session), eq(lineage.job, origin.job))),
    later: (
      await db
        .select({ name: lineage.name, slip: lineage.slip, asset: lineage.asset })
        .from(lineage)
        .where(and(eq(lineage.sessionId, session), gt(lineage.revisionAfter, origin.revisionAfter)))
        .orderBy(asc(lineage.revisionAfter), asc(lineage.place))
    ).flatMap(({ name, slip, asset }) => (tookPlace(slip) ? [{ name, asset, tracks: slip.tracks }] : [])),
  };
  let tracks: readonly string[] = [];
  const revision = await documentStep(db, session, "This print cannot be reopened.", (now) => {
    const made = reopenStep(now, print, randomUUID);
    if (!made.ok) return made;
    tracks = made.value.tracks;
    return { ok: true, value: made.value.step };
  });
  return { revision, tracks };
}

/** Whether a print took its sources' place; on the shelf, on a pad or muted beside them it did not. */
const tookPlace = ({ placed, afterwards, tap }: Slip): boolean =>
  (placed === "new track" || placed === "same track") && afterwards !== "keep live" && tap !== "mix";

/** The print that placed what a refreshed print plays by now: itself, where it was not refreshed. */
async function originOf(
  db: Db,
  session: string,
  row: typeof lineage.$inferSelect,
): Promise<typeof lineage.$inferSelect> {
  const [job] = await db.select({ request: jobs.request }).from(jobs).where(eq(jobs.id, row.job));
  if (job?.request.kind !== "refresh") return row;
  const refreshed = await db
    .select()
    .from(lineage)
    .where(and(eq(lineage.sessionId, session), inArray(lineage.id, [...job.request.prints])));
  const before = refreshed.find((r) => r.place === row.place && r.slip.tracks.join() === row.slip.tracks.join());
  return before && before.id !== row.id ? originOf(db, session, before) : row;
}

/**
 * Labels of the steps since a print that touched its sources, or what they run through, oldest first; undone ones and
 * their undoing are both there.
 */
export async function changesSince(db: Db, session: string, id: string): Promise<readonly string[]> {
  const row = await printOf(db, session, id);
  const { document } = await readDocument(db, session);
  const through = new Set(row.slip.tracks);
  if (row.slip.tap === "group" || row.slip.tap === "mix") for (const t of document.tracks) through.add(t.id);
  for (const t of document.tracks)
    if (through.has(t.id)) for (const d of t.devices) if (d.key !== null) through.add(d.key);
  const touches = (edit: Edit) =>
    edit.do === "set session" ||
    (edit.do !== "set sheet" &&
      (edit.in === "phrases" ||
        (edit.track !== undefined
          ? through.has(edit.track)
          : edit.in === "tracks" && edit.do !== "add" && through.has(edit.id))));
  const labels = new Set<string>();
  for (let known = row.revisionAfter, steps = await stepsAfter(db, session, known); steps.length > 0;) {
    for (const { step } of steps) if (step.edits.some(touches)) labels.add(step.label);
    known = steps.at(-1)?.revision ?? known;
    steps = await stepsAfter(db, session, known);
  }
  return [...labels];
}

const documentStep = (
  db: Db,
  session: string,
  refusal: string,
  make: (document: Session) => Checked<Step>,
): Promise<number> =>
  db.transaction((tx) =>
    appendStep(tx, session, randomUUID(), (document) => {
      const step = make(document);
      if (!step.ok) throw invalid(refusal, step.problems);
      return step.value;
    }),
  );
