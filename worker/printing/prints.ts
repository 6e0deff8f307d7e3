import { randomUUID } from "node:crypto";
import { convertedFrame } from "../../core/analysis/resample";
import { completeParams } from "../../core/devices/device";
import { outboard, ping } from "../../core/devices/outboard";
import type { PrintFile, PrintPlan, Printed } from "../../core/printing/print";
import type { Slip } from "../../core/printing/slip";
import type { Frames } from "../../core/units";
import { seedFrom } from "../../core/random";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { PrintedFacts } from "../../contract/jobs/kind";
import type { Connection } from "../../server/db/connect";
import { lineage } from "../../server/db/schema";
import type { JobContext, StartedJob } from "../context/job-context";
import { nameOf } from "../context/job-context";
import { outputKey, type OutputOrder } from "../render/output-key";
import type { FinishedPass, KeptFile } from "./pass";
import { printBext, runPass } from "./pass";
import type { HeardPrint } from "../render/heard-prints";

/** A file of a print with its audio in the store, and what is known of it. */
export type PrintedFile = Printed & KeptFile;

/** A print's file as it is ordered. */
function orderOf({ slip }: PrintPlan, file: PrintFile, sessionRate: number): OutputOrder {
  const rate = slip.rate ?? sessionRate;
  const lead = leadOf(slip);
  return {
    tap: file.tap,
    ditherSeed: slip.depth === "32f" ? null : seedFrom(file.name),
    foldMono: slip.channels !== "stereo",
    ...(slip.channels === "mono" ? { fold: "mono" as const } : file.side ? { fold: file.side } : {}),
    format: { rate, channels: 2, depth: slip.depth },
    bext: printBext(convertedFrame(file.from, sessionRate, rate)),
    ...(file.even ? {} : { cut: { from: file.from - lead, to: file.to } }),
    ...(slip.seam.by === "none" ? {} : { loop: { frames: file.to - file.from, lead } }),
  };
}

const leadOf = ({ seam }: Slip): Frames => (seam.by === "crossfade" ? seam.frames : 0);

/**
 * What of a pass reaches into a file: where it ends and how; which pass through hardware it is, as none is like
 * another; and what else is in it where files end together, as they depend on each other's tails.
 */
const reachOf = (plan: PrintPlan, file: PrintFile, pass: number | null) => ({
  ...{ from: file.from, to: file.to, tail: plan.tail, endAt: plan.endAt, pass },
  together:
    file.even === true && plan.tail !== "none" ? plan.files.filter((f) => f.even).map((f) => f.fingerprint) : null,
});

/** Hardware on the way is pinged, so that what comes back can be put where it belongs. */
export function pinged(session: Session, pass: number): { readonly session: Session; readonly edits: readonly Edit[] } {
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

/** A print's plan on its way to be rendered. `session`: what is rendered, with hardware pinged. */
interface PrintOrder {
  readonly document: Session;
  readonly revision: number;
  readonly plan: PrintPlan;
  readonly session: Session;
  /** Which pass in real time it is; null: as fast as can be. */
  readonly pass: number | null;
  readonly ofJob: (done: number) => number;
}

/** Renders the files of a plan that are not in the cache, all in one pass. */
export async function printPass(
  job: StartedJob,
  { document, revision, plan, session, pass, ofJob }: PrintOrder,
  context: JobContext,
): Promise<Omit<FinishedPass, "keep"> & { keep(tx: Connection): Promise<readonly PrintedFile[]> }> {
  const { slip, files } = plan;
  const lead = leadOf(slip);
  const finished = await runPass(
    job,
    {
      document,
      revision,
      ofJob,
      even: files.some((f) => f.even),
      threads: pass === null ? context.threads : 1,
      stage: pass === null ? "rendering" : "passing through the hardware, in real time",
      files: files.map((file) => {
        const output = orderOf(plan, file, document.rate);
        const key = outputKey(file.fingerprint, output, reachOf(plan, file, pass));
        return { key, output, name: file.name, of: file.name, sources: file.sources, at: file.from, to: file.to };
      }),
      passOf: (fresh) => ({
        session,
        from: Math.max(0, Math.min(...fresh.map((f) => f.at)) - lead),
        to: Math.max(...fresh.map((f) => f.to)),
        tail: plan.tail,
        ...(plan.endAt === null ? {} : { endAt: plan.endAt }),
        ...(pass === null ? {} : { pass }),
      }),
    },
    context,
  );
  return {
    speed: finished.speed,
    since: finished.since,
    silent: finished.silent,
    keep: async (tx) =>
      (await finished.keep(tx)).map((kept): PrintedFile => ({ ...kept, file: files[kept.place] as PrintFile })),
  };
}

/** What is found when the finished files, and the clips they were made of, are listened to: in a thread. */
export const listenTo = (
  document: Session,
  plan: PrintPlan,
  printed: readonly PrintedFile[],
  { pool, signal, dataRoot }: JobContext,
): Promise<readonly HeardPrint[]> =>
  pool.run<"listen to prints">(
    {
      kind: "listen to prints",
      document,
      plan: { slip: plan.slip, tail: plan.tail },
      prints: printed.map(({ file, audio }) => ({
        file,
        hash: audio.hash,
        frames: audio.frames,
        rate: audio.rate,
        measures: audio.measures,
      })),
      dataRoot,
    },
    { signal },
  );

/** Writes down where prints came from, and says what they are. */
export async function record(
  tx: Connection,
  job: StartedJob,
  {
    document,
    slip,
    printed,
    heard,
    before,
    after,
  }: {
    readonly document: Session;
    readonly slip: Slip;
    readonly printed: readonly PrintedFile[];
    readonly heard: readonly HeardPrint[];
    /** Revisions of the session right before and right after. */
    readonly before: number;
    readonly after: number;
  },
): Promise<PrintedFacts[]> {
  const rows = printed.map(({ file, asset, place }) => ({
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
  return printed.map(({ file, audio, reused }, i) => ({
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
