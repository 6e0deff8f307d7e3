import { converterReach } from "../../core/analysis/resample";
import type { Agreement, Sink } from "../../core/engine/render";
import { DEFAULT_BLOCK, RenderCancelled, render } from "../../core/engine/render";
import type { Checkpoint } from "../../core/engine/checkpoint";
import { prefixFingerprints } from "../../core/printing/fingerprint";
import { PieceCutter } from "../../core/printing/cut";
import { helpRender } from "../../core/engine/helper";
import type { Frames } from "../../core/units";
import { AudioStore } from "../../server/audio/store";
import { SharedSignals } from "./shared-signals";
import { CheckpointWriter } from "./checkpoints";
import { folded } from "./fold";
import { LoopRecorder, Recorder } from "./recorder";
import type { EarlierAudio, Splice, Way } from "./splice";
import { beginFiles, openSplice, stateOf } from "./splice";
import { tapLatency } from "../../core/engine/latency";
import type { Tail } from "../../core/engine/tail";
import type { Tap } from "../../core/engine/tap";
import type { Session } from "../../core/session/document";
import type { OutputFile, RenderedFile } from "../files/output-file";
import type { SharedSignalsMemory } from "./shared-signals";

/** A pass, or one thread's part of one. */
export interface RenderTask {
  readonly kind: "render";
  readonly session: Session;
  readonly files: readonly OutputFile[];
  readonly from: Frames;
  readonly to: Frames;
  readonly tail: Tail;
  readonly endAt?: Frames;
  readonly dataRoot: string;
  readonly blockFrames?: Frames;
  /** Which pass in real time this is: it takes as long as what it plays. */
  readonly pass?: number;
  /** Parts of the pass are computed by helpers, which give signals of them. */
  readonly helpers?: readonly SharedSignalsMemory[];
  /** What the checkpoints of a pass of several files are found by; that of one file is its order. */
  readonly lane?: string;
  /** Audio outside the store that the pass may go on from. */
  readonly earlier?: readonly EarlierAudio[];
  /** Set for the threads of a pass: where they keep checkpoints, and where they begin. */
  readonly kept?: KeptCheckpoints;
  readonly splice?: Splice;
}

/** Where a thread of a pass keeps its checkpoints. */
export interface KeptCheckpoints {
  readonly folder: string;
  readonly thread: number;
  /** Of all threads: what they hand out is as late as the latest of these. */
  readonly taps: readonly Tap[];
  /** Frames of the engine's clock between two of them: a whole number of blocks. */
  readonly every: Frames;
}

/** A helper's part of a pass. */
export interface HelpTask extends Omit<RenderTask, "kind" | "helpers"> {
  readonly kind: "help";
  readonly meets: SharedSignalsMemory;
}

export interface RenderHooks {
  /** Called with frames of the timeline done; false cancels. */
  readonly onProgress: (done: Frames) => boolean;
  readonly agreeOnEnd?: (end: Frames) => Agreement;
  /** Whether the render was cancelled, for those who wait inside it. */
  readonly cancelled: () => boolean;
}

/**
 * Renders a task's taps in one pass, each straight into its file, measured on the way; the files are still to be
 * sealed. On an error no file is left behind.
 */
export function renderFiles(task: RenderTask | HelpTask, hooks: RenderHooks): readonly RenderedFile[] {
  const library = new AudioStore(task.dataRoot).library();
  const helpers =
    task.kind === "render"
      ? (task.helpers ?? []).map((memory) => ({
          work: memory.work,
          exchange: new SharedSignals(memory, hooks.cancelled),
        }))
      : [];
  const recorders: (Recorder | LoopRecorder)[] = [];
  let writer: CheckpointWriter | null = null;
  try {
    const around = aroundOf(task);
    const passFrom = Math.max(0, task.from - around.before);
    for (const file of task.files) {
      const from = file.cut?.from ?? task.from;
      recorders.push(
        file.loop
          ? new LoopRecorder({ ...file, loop: file.loop }, task.session.rate)
          : new Recorder(file, task.session.rate, {
              at: Math.max(passFrom, from - around.before),
              from,
              behind: around.behind,
            }),
      );
    }
    const ways = task.files.map((file, i) => wayOf(file, recorders[i]?.sink, { ...task, from: passFrom }, around));
    const { kept } = task;
    const begun = task.splice ? openSplice(task.splice) : null;
    const continued = task.files.flatMap(({ order }, i): Way[] => {
      const recorder = recorders[i];
      return order !== undefined && recorder instanceof Recorder
        ? [{ order, recorder, cutter: ways[i]?.cutter ?? null }]
        : [];
    });
    if (task.splice && begun)
      beginFiles(continued, begun, task.splice, {
        ...{ library: library.find, earlier: task.earlier, cancelled: hooks.cancelled },
      });
    if (kept) writer = writerOf(kept, task, continued);
    const block = task.blockFrames ?? DEFAULT_BLOCK;
    const request = {
      session: task.session,
      taps: task.files.map((file, i) => ({ tap: file.tap, sink: ways[i]?.sink ?? ignore })),
      library: library.find,
      from: passFrom,
      to: task.to,
      tail: task.tail,
      beyond: around.behind,
      blockFrames: block,
      ...(task.endAt === undefined ? {} : { endAt: task.endAt }),
      ...(task.pass === undefined ? {} : { pass: task.pass }),
      ...(kept ? { latency: begun?.latency ?? tapLatency(task.session, kept.taps) } : {}),
      ...(begun ? { resume: begun } : {}),
      ...(kept
        ? {
            checkpoints: {
              every: kept.every,
              take: ({ state, ...place }: Checkpoint) =>
                writer?.take({ ...place, state: new Map([...state, ...stateOf(continued)]) }),
            },
          }
        : {}),
    };
    if (task.kind === "help") {
      const lead = new SharedSignals(task.meets, hooks.cancelled);
      helpRender(request, task.meets.work, lead);
      if (lead.abandoned) throw new RenderCancelled("The rest of the pass was given up.");
    } else {
      render({
        ...request,
        onBlock:
          task.pass === undefined ? hooks.onProgress : inRealTime(task.session.rate, task.from, hooks.onProgress),
        ...(hooks.agreeOnEnd ? { agreeOnEnd: hooks.agreeOnEnd } : {}),
        helpers,
      });
    }
    writer?.close();
    const since = begun ? { since: begun.clock - begun.latency } : {};
    return recorders.map((r) => ({ ...r.close(), ...since }));
  } catch (error) {
    writer?.discard();
    for (const r of recorders) r.discard();
    throw error;
  } finally {
    for (const { exchange } of helpers) exchange.leave();
    library.close();
  }
}

/** Writes the checkpoints of a thread whose files have orders. */
const writerOf = (
  { folder, thread }: KeptCheckpoints,
  { session, files }: Pick<RenderTask, "session" | "files">,
  ways: readonly Way[],
) => {
  const taps = files.map((f) => f.tap);
  return new CheckpointWriter(
    folder,
    thread,
    ways.map((w) => w.order),
    (clock) => prefixFingerprints(session, taps, clock),
  );
};

const ignore: Sink = () => undefined;

/**
 * What a pass hands out around its files because a converter hears it: nothing at the session's own rate. Loops are
 * converted as they go round.
 */
function aroundOf({ files, session }: Pick<RenderTask, "files" | "session">): ReturnType<typeof converterReach> {
  const rates = new Set(files.map((f) => (f.loop ? session.rate : f.format.rate)));
  const [rate = session.rate, other] = rates;
  if (other !== undefined) throw new RangeError("the files of one pass have one rate");
  return rate === session.rate ? { before: 0, behind: 0 } : converterReach(session.rate, rate);
}

/** The way of a tap's audio into its recorder: cut to the file's own stretch, mixed down. */
function wayOf(
  file: OutputFile,
  sink: Sink = ignore,
  { from, tail, session }: Pick<RenderTask, "from" | "tail" | "session">,
  around: ReturnType<typeof converterReach>,
): { readonly sink: Sink; readonly cutter: PieceCutter | null } {
  const last = file.fold ? folded(sink, file.fold) : sink;
  if (!file.cut) return { sink: last, cutter: null };
  const cutter = new PieceCutter(from, file.cut, file.cut.exact ? "none" : tail, session.rate, last, around);
  return { sink: cutter.sink, cutter };
}

/** Holds a pass back so that it never runs ahead of the clock: hardware plays in its own time. */
function inRealTime(rate: number, from: Frames, onBlock: (done: Frames) => boolean): (done: Frames) => boolean {
  const nothing = new Int32Array(new SharedArrayBuffer(4));
  let began: number | null = null;
  return (done) => {
    if (done >= from) {
      began ??= performance.now();
      const early = began + (1000 * (done - from)) / rate - performance.now();
      if (early > 0) Atomics.wait(nothing, 0, 0, early);
    }
    return onBlock(done);
  };
}
