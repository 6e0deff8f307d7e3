import { createHash, randomUUID } from "node:crypto";
import { rm } from "node:fs/promises";
import { asc, eq, inArray } from "drizzle-orm";
import { convertedFrame } from "../core/analysis/resample";
import type { Finding, Listen } from "../core/printing/findings";
import { EDGE_S, attackFindings, clippedFindings, endFindings } from "../core/printing/findings";
import { planPrint } from "../core/printing/plan";
import type { PrintFile, PrintPlan, Printed } from "../core/printing/print";
import type { Renewed } from "../core/printing/refresh";
import { planAgain, refreshStep } from "../core/printing/refresh";
import { seamOf } from "../core/printing/seam";
import type { Slip } from "../core/printing/slip";
import { slipSchema } from "../core/printing/slip";
import { printStep } from "../core/printing/step";
import { completeParams } from "../core/devices/device";
import { outboard, ping } from "../core/devices/outboard";
import { seedFrom } from "../core/random";
import type { Asset, Session } from "../core/session/document";
import type { Edit } from "../core/session/edits";
import type { Checked } from "../core/session/problem";
import { sessionEnd } from "../core/engine/render";
import type { Frames } from "../core/units";
import type { JobRequest, PrintedFacts } from "../contract/job";
import { passProgress } from "../contract/job";
import type { Connection } from "../server/db/connect";
import { lineage, prints } from "../server/db/schema";
import { readAudio, recordAudio } from "../server/services/audio";
import type { StoredAudio } from "../server/services/audio";
import { requestJob } from "../server/services/jobs";
import { appendStep, documentAt, readDocument } from "../server/services/sessions";
import type { JobContext, StartedJob } from "./job-context";
import { SilentPrint, TAIL_GUESS_S, done, nameOf, whySilent } from "./job-context";
import type { OutputFile, WrittenFile } from "./task";
import { TaskFailed } from "./task";

const noBext = {
  description: "Print",
  originator: "Stemzo",
  originatorReference: "",
  originationDate: "",
  originationTime: "",
  timeReference: 0,
  loudness: null,
} as const;

/** The files of a plan, rendered or found, still outside the database. */
interface Rendered {
  readonly plan: PrintPlan;
  /** Times real time of the pass; null when nothing had to be rendered. */
  readonly speed: number | null;
  /** Puts their facts into the database and says what they are. */
  keep(tx: Connection): Promise<readonly Made[]>;
}

interface Made extends Printed {
  readonly audio: StoredAudio;
  readonly reused: boolean;
}

function planned(plan: Checked<PrintPlan>): PrintPlan {
  if (!plan.ok)
    throw new TaskFailed({ kind: "other", message: plan.problems.map((p) => `${p.where}: ${p.what}`).join("; ") });
  return plan.value;
}

/** What names a print's file exactly: the sound and how it is written. A pass in real time is like no other. */
const printKey = (plan: PrintPlan, file: PrintFile, pass: number | null): string => {
  const { slip } = plan;
  return createHash("sha256")
    .update(
      JSON.stringify([
        file.fingerprint,
        file.from,
        file.to,
        plan.tail,
        plan.endAt,
        slip.depth,
        slip.channels,
        slip.rate,
        slip.seam,
        file.side,
        pass,
      ]),
    )
    .digest("hex");
};

/** Hardware on the way is pinged, so that what comes back can be put where it belongs. */
function pinged(session: Session, pass: number): { readonly session: Session; readonly edits: readonly Edit[] } {
  const edits: Edit[] = [];
  const tracks = session.tracks.map((t) => {
    const own = t.devices.filter((d) => d.on && d.type === outboard.type);
    if (own.length === 0) return t;
    return {
      ...t,
      devices: t.devices.map((d) => {
        if (!own.includes(d)) return d;
        const pingFrames = ping(completeParams(outboard, d.params), session.rate, pass);
        edits.push({ do: "set", in: "devices", track: t.id, id: d.id, patch: { params: { pingFrames } } });
        return { ...d, params: { ...d.params, pingFrames } };
      }),
    };
  });
  return { session: { ...session, tracks }, edits };
}

/** Renders what is not in the cache, all in one pass; `share` of the job's progress is this one's. */
async function renderPlan(
  job: StartedJob,
  document: Session,
  revision: number,
  plan: PrintPlan,
  session: Session,
  pass: number | null,
  context: JobContext,
  share: (done: number) => number,
): Promise<Rendered> {
  const { db, store, pool, signal } = context;
  const { slip } = plan;
  const rate = slip.rate ?? document.rate;
  const lead = slip.seam.by === "crossfade" ? slip.seam.frames : 0;
  const keys = plan.files.map((f) => printKey(plan, f, pass));
  const known = new Map(
    (await db.select().from(prints).where(inArray(prints.fingerprint, keys))).map((p) => [p.fingerprint, p.asset]),
  );
  const fresh = plan.files.map((file, i) => ({ file, key: keys[i] ?? "" })).filter(({ key }) => !known.has(key));
  const began = performance.now();
  const from = Math.max(0, Math.min(...fresh.map(({ file }) => file.from)) - lead);
  const to = Math.max(...fresh.map(({ file }) => file.to));
  const total = to + (plan.tail !== "none" ? TAIL_GUESS_S * document.rate : 0);
  const files = fresh.map(({ file }): OutputFile => ({
    tap: file.tap,
    path: store.unfinished(),
    ditherSeed: slip.depth === "32f" ? null : seedFrom(file.name),
    foldMono: slip.channels !== "stereo",
    ...(slip.channels === "mono" ? { fold: "mono" as const } : file.side ? { fold: file.side } : {}),
    format: { rate, channels: 2, depth: slip.depth },
    bext: { ...noBext, timeReference: convertedFrame(file.from, document.rate, rate) },
    cut: { from: file.from - lead, to: file.to },
    ...(slip.seam.by === "none" ? {} : { loop: { frames: file.to - file.from, lead } }),
  }));
  const written =
    files.length === 0
      ? []
      : await pool.render(
          {
            kind: "render",
            session,
            files,
            from,
            to,
            tail: plan.tail,
            dataRoot: context.dataRoot,
            ...(plan.endAt === null ? {} : { endAt: plan.endAt }),
            ...(pass === null ? {} : { pass }),
          },
          pass === null ? context.threads : 1,
          {
            signal,
            onProgress: (frames) => {
              const progress = passProgress(
                pass === null ? "rendering" : "passing through the hardware, in real time",
                frames,
                total,
                document.rate,
                performance.now() - began,
              );
              context.report({ ...progress, done: share(progress.done) });
            },
          },
        );
  const speed = written.length > 0 ? to / document.rate / ((performance.now() - began) / 1000) : null;
  const adopted = await Promise.all(
    written.map(async (file: WrittenFile, i) => {
      const { file: piece, key } = fresh[i] as { file: PrintFile; key: string };
      if (file.measures.peakDb === null)
        throw new SilentPrint(piece.name, piece.sources.map((s) => whySilent(document, s)).join("; "));
      return { key, file, hash: await store.adopt(file.path, file.sha256), from: piece.from };
    }),
  ).finally(() => Promise.all(files.map((f) => rm(f.path, { force: true }))));
  return {
    plan,
    speed,
    async keep(tx) {
      for (const { key, file, hash, from: at } of adopted) {
        await recordAudio(tx, hash, { ...file, timeReference: at });
        await tx
          .insert(prints)
          .values({ fingerprint: key, asset: hash, sessionId: job.session, revision, source: slip.tracks[0] ?? "" })
          .onConflictDoNothing();
        known.set(key, hash);
      }
      // One after the other: a transaction is one connection, which answers one question at a time.
      const made: Made[] = [];
      for (const [i, file] of plan.files.entries()) {
        const audio = await readAudio(tx, known.get(keys[i] ?? "") ?? "");
        const asset: Asset = {
          id: audio.hash,
          name: file.name,
          frames: audio.frames,
          rate: audio.rate,
          channels: audio.channels,
          origin: "printed",
        };
        made.push({ file, asset, audio, reused: !adopted.some((a) => a.hash === audio.hash) });
      }
      return made;
    },
  };
}

/** What is found when the finished files, and the clips they were made of, are listened to. */
function listenTo(
  document: Session,
  plan: PrintPlan,
  made: readonly Made[],
  { store }: JobContext,
): readonly { readonly seam: PrintedFacts["seam"]; readonly findings: readonly Finding[] }[] {
  const library = store.library();
  const listen: Listen = (asset, from, count) => {
    const audio = library.find(asset);
    const n = Math.max(0, Math.min(count, audio.frames - from));
    const [left, right] = [new Float32Array(n), new Float32Array(n)];
    if (n > 0) audio.read(from, n, left, right, 0);
    return [left, right];
  };
  try {
    return made.map(({ file, asset, audio }) => {
      const n = Math.min(audio.frames, Math.round(EDGE_S * audio.rate));
      const edges = { first: listen(asset.id, 0, n), last: listen(asset.id, audio.frames - n, n) };
      return {
        seam: plan.slip.seam.by === "none" ? null : seamOf(edges),
        findings: [
          ...clippedFindings(audio.measures),
          ...attackFindings(document, file, plan.slip.clips, listen),
          ...endFindings(file, plan, edges, audio.measures),
        ],
      };
    });
  } finally {
    library.close();
  }
}

/** Writes down where prints came from, and says what they are. */
async function record(
  tx: Connection,
  job: StartedJob,
  document: Session,
  slip: Slip,
  made: readonly Made[],
  heard: ReturnType<typeof listenTo>,
  before: number,
  after: number,
): Promise<PrintedFacts[]> {
  const rows = made.map(({ file, asset }, place) => ({
    id: randomUUID(),
    sessionId: job.session,
    job: job.id,
    place,
    asset: asset.id,
    name: file.name,
    slip,
    sources: file.sources.map((s) => nameOf(document, s)),
    fingerprint: file.fingerprint,
    revisionBefore: before,
    revisionAfter: after,
  }));
  await tx.insert(lineage).values(rows);
  return made.map(({ file, audio, reused }, i) => ({
    print: rows[i]?.id ?? "",
    name: file.name,
    asset: audio.hash,
    frames: audio.frames,
    rate: audio.rate,
    from: file.from,
    reused,
    peakDb: audio.measures.peakDb,
    truePeakDb: audio.measures.truePeakDb,
    lufs: audio.measures.lufs,
    endDb: audio.measures.endDb,
    tailFrames: Math.max(0, audio.frames - Math.round(((file.to - file.from) * audio.rate) / document.rate)),
    seam: heard[i]?.seam ?? null,
    findings: [...(heard[i]?.findings ?? [])],
  }));
}

/** Renders a slip and puts it where it says. */
export async function print(job: StartedJob, wanted: Slip, context: JobContext): Promise<void> {
  // One that waited while Stemzo was brought to a later version lacks what came since.
  const slip = slipSchema.parse(wanted);
  const { document, revision } = await readDocument(context.db, job.session);
  const plan = planned(planPrint(document, slip));
  // The same job begun again after a crash is the same pass.
  const pass = slip.pass === "real time" ? seedFrom(job.id) : null;
  const ready = pass === null ? { session: plan.session, edits: [] } : pinged(plan.session, pass);
  const rendered = await renderPlan(job, document, revision, plan, ready.session, pass, context, (part) => part);
  // The files are known first; listening to them takes a while, and nobody waits for a lock meanwhile. What is not put
  // anywhere after all is a print in the cache.
  const made = await context.db.transaction((tx) => rendered.keep(tx));
  const heard = listenTo(document, plan, made, context);
  await context.db.transaction(async (tx) => {
    let before = revision;
    const after = await appendStep(tx, job.session, job.id, (now, at) => {
      before = at;
      const step = printStep(now, plan, made, randomUUID);
      const pings = ready.edits.filter(
        (e) => e.do === "set" && now.tracks.some((t) => t.id === e.track && t.devices.some((d) => d.id === e.id)),
      );
      return step.edits.length + pings.length > 0 ? { ...step, edits: [...pings, ...step.edits] } : null;
    });
    const facts = await record(tx, job, document, slip, made, heard, before, after);
    await done(tx, job, {
      kind: "print",
      speed: rendered.speed,
      heard: plan.heard,
      differs: plan.differs,
      certain: plan.certain,
      prints: facts,
    });
    // With the print or not at all: an error after its end would call a finished print failed.
    if (plan.heard && (plan.differs === null || !plan.certain))
      await requestJob(tx, job.session, { kind: "check", print: job.id });
  });
}

type LineageRow = typeof lineage.$inferSelect;

/** Prints again from what the sources are today, and puts it wherever the old prints play; all as one step. */
export async function refresh(
  job: StartedJob,
  request: Extract<JobRequest, { kind: "refresh" }>,
  context: JobContext,
): Promise<void> {
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
  const rendered: { readonly rows: readonly LineageRow[]; readonly made: Rendered; readonly slip: Slip }[] = [];
  for (const [i, group] of groups.entries()) {
    const first = group[0] as LineageRow;
    const slip: Slip = { ...slipSchema.parse(first.slip), ...(request.withTail ? { tail: "measured" as const } : {}) };
    const plan = planned(planAgain(document, slip));
    const pass = slip.pass === "real time" ? seedFrom(`${job.id}/${i}`) : null;
    const session = pass === null ? plan.session : pinged(plan.session, pass).session;
    rendered.push({
      rows: group,
      slip,
      made: await renderPlan(
        job,
        document,
        revision,
        plan,
        session,
        pass,
        context,
        (part) => (i + part) / groups.length,
      ),
    });
  }
  const all: {
    readonly slip: Slip;
    readonly made: readonly Made[];
    readonly renewed: readonly Renewed[];
    readonly heard: ReturnType<typeof listenTo>;
  }[] = [];
  for (const { rows: group, made: pass, slip } of rendered) {
    const made = await db.transaction((tx) => pass.keep(tx));
    const renewed = group.flatMap((row): Renewed[] => {
      const now = made[row.place];
      return now ? [{ old: row.asset, printed: now }] : [];
    });
    all.push({ slip, made, renewed, heard: listenTo(document, pass.plan, made, context) });
  }
  await db.transaction(async (tx) => {
    let before = revision;
    const renewed = all.flatMap((a) => a.renewed);
    const after = await appendStep(tx, job.session, job.id, (now, at) => {
      before = at;
      const step = refreshStep(
        now,
        renewed,
        `Refresh ${renewed.length === 1 ? (renewed[0]?.printed.asset.name ?? "a print") : `${renewed.length} prints`}`,
      );
      return step.edits.length > 0 ? step : null;
    });
    const facts: PrintedFacts[] = [];
    for (const { slip, made, heard } of all)
      facts.push(...(await record(tx, job, document, slip, made, heard, before, after)));
    const speeds = rendered.flatMap((r) => r.made.speed ?? []);
    await done(tx, job, { kind: "refresh", prints: facts, speed: speeds.length === 0 ? null : Math.min(...speeds) });
  });
}

/** Plays the session as it was right before a print against what it was right after it. */
export async function check(
  job: StartedJob,
  printJob: string,
  { db, store, pool, signal, report, dataRoot }: JobContext,
): Promise<void> {
  const [made] = await db.select().from(lineage).where(eq(lineage.job, printJob));
  if (!made) throw new Error(`the print ${printJob} has no lineage`);
  const before = await documentAt(db, job.session, made.revisionBefore);
  const after = await documentAt(db, job.session, made.revisionAfter);
  const scratch = store.unfinished();
  const total = 2 * Math.max(sessionEnd(before), sessionEnd(after));
  try {
    const residue = await pool.run<"compare">(
      { kind: "compare", before, after, dataRoot, scratch },
      {
        signal,
        onProgress: (frames) =>
          report({
            stage: "comparing before and after",
            done: Math.min(1, frames / Math.max(1, total)),
            speed: null,
            secondsLeft: null,
          }),
      },
    );
    await db.transaction(async (tx) => {
      await tx.update(lineage).set({ checked: true, residueDb: residue.peakDb }).where(eq(lineage.job, printJob));
      await done(tx, job, { kind: "check", print: printJob, peakDb: residue.peakDb, at: residue.at });
    });
  } finally {
    await rm(scratch, { force: true });
  }
}

/** So much of the session is written to be listened to, around a print's beginning. */
const LISTEN_S = 30;
const PRE_ROLL_S = 1;

/** Writes the mix right before a print, right after it, and their difference, where the print begins. */
export async function listen(
  job: StartedJob,
  printId: string,
  { db, store, pool, signal, report, dataRoot }: JobContext,
): Promise<void> {
  const [made] = await db.select().from(lineage).where(eq(lineage.id, printId));
  if (!made) throw new Error(`there is no print ${printId}`);
  const before = await documentAt(db, job.session, made.revisionBefore);
  const after = await documentAt(db, job.session, made.revisionAfter);
  const start = (await readAudio(db, made.asset)).timeReference ?? 0;
  const from: Frames = Math.max(0, start - PRE_ROLL_S * before.rate);
  const to = Math.max(
    from + before.rate,
    Math.min(from + LISTEN_S * before.rate, Math.max(sessionEnd(before), sessionEnd(after))),
  );
  const paths = { before: store.unfinished(), after: store.unfinished(), difference: store.unfinished() };
  try {
    const heard = await pool.run<"listen">(
      { kind: "listen", before, after, from, to, dataRoot, paths },
      {
        signal,
        onProgress: (frames) =>
          report({
            stage: "rendering before and after",
            done: Math.min(1, frames / (2 * to)),
            speed: null,
            secondsLeft: null,
          }),
      },
    );
    const files = [heard.before, heard.after, heard.difference] as const;
    const hashes = await Promise.all(files.map((f) => store.adopt(f.path, f.sha256)));
    await db.transaction(async (tx) => {
      for (const [i, file] of files.entries()) await recordAudio(tx, hashes[i] ?? "", { ...file, timeReference: from });
      await done(tx, job, {
        kind: "listen",
        print: printId,
        before: hashes[0] ?? "",
        after: hashes[1] ?? "",
        difference: hashes[2] ?? "",
        from,
        frames: heard.before.frames,
        differencePeakDb: heard.peakDb,
      });
    });
  } finally {
    await Promise.all(Object.values(paths).map((path) => rm(path, { force: true })));
  }
}
