import { asc, inArray } from "drizzle-orm";
import type { PrintPlan } from "../../core/printing/print";
import type { Renewed } from "../../core/printing/refresh";
import { planAgain, refreshStep } from "../../core/printing/refresh";
import type { Slip } from "../../core/printing/slip";
import { slipSchema } from "../../core/printing/slip-schema";
import { seedFrom } from "../../core/random";
import type { PrintedFacts } from "../../contract/jobs/kind";
import { lineage } from "../../server/db/schema";
import { readDocument } from "../../server/services/sessions";
import { appendStep } from "../../server/services/steps";
import type { CarryOut } from "../context/job-context";
import { done, orFail } from "../context/job-context";
import type { PrintedFile } from "../printing/prints";
import { listenTo, pinged, printPass, record } from "../printing/prints";

type LineageRow = typeof lineage.$inferSelect;

/** Prints again from what the sources are today, and puts it wherever the old prints play; all as one step. */
export const refresh: CarryOut<"refresh"> = async (job, request, context) => {
  const { db } = context;
  const { document, revision } = await readDocument(db, job.session);
  const rows = await db
    .select()
    .from(lineage)
    .where(inArray(lineage.id, request.prints))
    .orderBy(asc(lineage.job), asc(lineage.place));
  // Files of one print are one pass, as they were.
  const byJob = new Map<string, LineageRow[]>();
  for (const row of rows) if (row.sessionId === job.session) byJob.set(row.job, [...(byJob.get(row.job) ?? []), row]);
  const groups = [...byJob.values()];
  const passes: {
    readonly group: readonly LineageRow[];
    readonly slip: Slip;
    readonly plan: PrintPlan;
    readonly rendered: Awaited<ReturnType<typeof printPass>>;
  }[] = [];
  for (const [i, group] of groups.entries()) {
    const first = group[0] as LineageRow;
    const slip: Slip = { ...slipSchema.parse(first.slip), ...(request.withTail ? { tail: "measured" as const } : {}) };
    const plan = orFail(planAgain(document, slip));
    const pass = slip.pass === "real time" ? seedFrom(`${job.id}/${i}`) : null;
    const session = pass === null ? plan.session : pinged(plan.session, pass).session;
    const ofJob = (part: number) => (i + part) / groups.length;
    const rendered = await printPass(job, { document, revision, plan, session, pass, ofJob }, context);
    passes.push({ group, slip, plan, rendered });
  }
  const all: {
    readonly slip: Slip;
    readonly printed: readonly PrintedFile[];
    readonly renewed: readonly Renewed[];
    readonly heard: Awaited<ReturnType<typeof listenTo>>;
  }[] = [];
  for (const { group, slip, plan, rendered } of passes) {
    const printed = await db.transaction((tx) => rendered.keep(tx));
    const renewed = group.flatMap((row): Renewed[] => {
      const now = printed.find((p) => p.place === row.place);
      return now ? [{ old: row.asset, printed: now }] : [];
    });
    all.push({ slip, printed, renewed, heard: await listenTo(document, plan, printed, context) });
  }
  await db.transaction(async (tx) => {
    let before = revision;
    const renewed = all.flatMap((a) => a.renewed);
    const what = renewed.length === 1 ? (renewed[0]?.printed.asset.name ?? "a print") : `${renewed.length} prints`;
    const after = await appendStep(tx, job.session, job.id, (now, at) => {
      before = at;
      const step = refreshStep(now, renewed, `Refresh ${what}`);
      return step.edits.length > 0 ? step : null;
    });
    const prints: PrintedFacts[] = [];
    for (const { slip, printed, heard } of all)
      prints.push(...(await record(tx, job, { document, slip, printed, heard, before, after })));
    const silent = passes.flatMap((p) => p.rendered.silent);
    const speeds = passes.flatMap((p) => p.rendered.speed ?? []);
    const speed = speeds.length === 0 ? null : Math.min(...speeds);
    const [only] = passes;
    const since = passes.length === 1 ? (only?.rendered.since ?? null) : null;
    await done(tx, job, { kind: "refresh", prints, speed, since, silent });
  });
};
