import { passProgress } from "../../contract/job-progress";
import type { ExportPlan, StemFile } from "../../core/delivery/plan";
import { goingTo, passOf } from "../../core/delivery/plan";
import type { Stamps } from "../../core/delivery/stamps";
import { tailFloor } from "../../core/engine/tail";
import { gainToDb } from "../../core/math";
import type { Frames } from "../../core/units";
import type { PackageReader } from "../../server/packages/read";
import { openPackage } from "../../server/packages/read";
import { TAIL_GUESS_S } from "../context/job-context";
import type { OutputFile, PassSince, WrittenFile } from "../files/output-file";
import { passSince } from "../files/output-file";
import { type EarlierAudio, laneOf, sampleOrder } from "../render/splice";
import type { EarlierPackage, PackageOrder, Ready, Work } from "./order";
import { stemOrder, wholeOutput } from "./output-orders";
import type { Reuse } from "./reuse";
import { fromEarlier } from "./reuse";
import type { Scratch } from "./scratch";

/** All files of a delivery, rendered or taken from an earlier package. */
export interface Rendering {
  /** How it was rendered: to the earlier package's end where files of that are used. */
  readonly plan: ExportPlan;
  /** In the plan's order. */
  readonly ready: readonly Ready[];
  readonly whole: WrittenFile | null;
  /** Frame of the session's timeline at which the earlier package's pass ended; null: no file of it is used. */
  readonly kept: Frames | null;
  /** Frames of the file that was rendered last. */
  readonly longest: Frames;
  /** Seconds that the pass took; null: nothing was rendered. */
  readonly spentS: number | null;
  readonly since: PassSince | null;
  /** Lets go of the earlier package. */
  readonly close: () => void;
}

/**
 * Renders in one pass what is not taken from the earlier package. Null where files of that turn out to be too short for
 * what changed.
 */
export async function renderDelivery(
  { session, id, plan: asked, date, dataRoot, earlier = null, before = [] }: PackageOrder,
  { comparison }: Reuse,
  stamps: readonly Stamps[],
  { pool, threads, signal, report }: Work,
  scratch: Scratch,
): Promise<Rendering | null> {
  const reused = comparison?.reused ?? asked.files.map(() => null);
  const isReusing = reused.some((f) => f !== null);
  const kept = isReusing ? (earlier?.manifest.range.end ?? null) : null;
  // What is only there to be compared with is not worth all the tracks that it needs.
  const wanted = !asked.hasMix && isReusing ? { ...asked, whole: null } : asked;
  const plan = kept === null ? wanted : goingTo(wanted, kept);
  const fresh = plan.files.map((_, i) => i).filter((i) => !reused[i]);
  const pass = passOf(session, plan);
  const stems = fresh.map((i) => stemOrder(plan.files[i] as StemFile, plan, stamps[i] as Stamps));
  const outputs = [...stems, ...(plan.whole ? [wholeOutput(plan.whole, plan, date)] : [])].map((file): OutputFile => ({
    ...file,
    path: scratch.unfinished(),
    ...sampleOrder(file, pass),
  }));
  const began = performance.now();
  const total = pass.to - plan.from + (pass.tail === "measured" ? TAIL_GUESS_S * session.rate : 0);
  const stage = fresh.length < plan.files.length ? "rendering what changed" : "rendering all stems in one pass";
  const onProgress = (frames: Frames) => {
    const done = Math.max(0, frames - plan.from);
    const progress = passProgress(stage, done, total, session.rate, performance.now() - began);
    report({ ...progress, done: progress.done * RENDERING_SHARE });
  };
  const written =
    outputs.length === 0
      ? []
      : await pool.render(
          {
            ...{ kind: "render", ...pass, files: outputs, dataRoot },
            ...{ lane: laneOf("stems", id), earlier: (await Promise.all(before.map(audioIn))).flat() },
          },
          threads,
          { signal, onProgress },
        );
  const spentS = (performance.now() - began) / 1000;
  if (kept !== null && asked.tail === "measured" && written.some(isCut)) return null;
  const whole = plan.whole ? (written.at(-1) ?? null) : null;
  const old = earlier && isReusing ? await openPackage(earlier.path) : null;
  try {
    const ready = plan.files.map((file, i): Ready => {
      const from = reused[i];
      if (from) return fromEarlier(file, from, earlier as EarlierPackage, old as PackageReader);
      return asReady(file, written[fresh.indexOf(i)] as WrittenFile);
    });
    const longest = written.at(-1)?.frames ?? 0;
    return {
      plan,
      ready,
      whole,
      kept,
      longest,
      spentS: outputs.length === 0 ? null : spentS,
      since: passSince(written, spentS),
      close: () => old?.close(),
    };
  } catch (error) {
    old?.close();
    throw error;
  }
}

/** The audio that a package holds; none where it cannot be read. */
async function audioIn({
  path,
  manifest,
}: Pick<EarlierPackage, "path" | "manifest">): Promise<readonly EarlierAudio[]> {
  const old = await openPackage(path).catch(() => null);
  try {
    return manifest.files.flatMap(({ name, sha256, bytes }) => {
      const entry = old?.entries.get(name);
      return entry ? [{ sha256, path, start: entry.start, bytes }] : [];
    });
  } finally {
    old?.close();
  }
}

/** Of the progress of an export; packing has the rest. */
export const RENDERING_SHARE = 0.9;

const asReady = (file: StemFile, written: WrittenFile): Ready => ({
  ...written,
  channels: written.format.channels,
  rate: written.format.rate,
  packed: { path: written.path, start: 0, name: file.fileName, bytes: written.bytes },
});

/** A file that was to go no further than an earlier package's, and still sounds there. */
const isCut = ({ measures, format }: WrittenFile): boolean =>
  measures.endDb !== null && measures.endDb > (format.depth === "16" ? DITHER_16_DB : gainToDb(tailFloor("measured")));

/** Above what a file of 16 bits always ends with: its dither, rounded, is up to two steps. */
const DITHER_16_DB = gainToDb(2.5 / 32768);
