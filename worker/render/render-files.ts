import { rmSync } from "node:fs";
import type { AudioReader } from "../../core/audio/audio-reader";
import type { Checkpoint } from "../../core/engine/checkpoint";
import { type AudioLibrary, MissingAudio } from "../../core/engine/library";
import { prefixFingerprint } from "../../core/printing/fingerprint";
import { Meter } from "../../core/analysis/measure";
import { Resampler, convertedFrame, converterReach } from "../../core/analysis/resample";
import type { Agreement, Sink } from "../../core/engine/render";
import { DEFAULT_BLOCK, RenderCancelled, render } from "../../core/engine/render";
import { TRIM_FLOOR } from "../../core/engine/tail";
import { PieceCutter } from "../../core/printing/cut";
import { writeLoop } from "../../core/printing/seam";
import { helpRender } from "../../core/engine/helper";
import type { Bext, WavFormat } from "../../core/formats/wav/format";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Frames, Seconds } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { SharedSignals } from "./shared-signals";
import { CheckpointWriter, latestCheckpoint, waitingPath } from "./checkpoints";
import { folded } from "./fold";
import { seal } from "./seal";
import type { Tail } from "../../core/engine/tail";
import type { Session } from "../../core/session/document";
import type { OutputFile, RenderedFile, WrittenFile } from "../files/output-file";
import { sealed } from "../files/output-file";
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
    const sinks = task.files.map((file, i) => sinkOf(file, recorders[i]?.sink, { ...task, from: passFrom }, around));
    const request = {
      session: task.session,
      taps: task.files.map((file, i) => ({ tap: file.tap, sink: sinks[i] ?? ignore })),
      library: library.find,
      from: passFrom,
      to: task.to,
      tail: task.tail,
      beyond: around.behind,
      ...(task.endAt === undefined ? {} : { endAt: task.endAt }),
      ...(task.blockFrames === undefined ? {} : { blockFrames: task.blockFrames }),
      ...(task.pass === undefined ? {} : { pass: task.pass }),
    };
    const splice = task.kind === "render" ? spliceOf(task, sinks[0], passFrom, library.find) : null;
    writer = splice?.writer ?? null;
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
        ...splice?.request,
        helpers,
      });
    }
    writer?.close();
    const since = splice?.since() ?? null;
    return recorders.map((r) => ({ ...r.close(), ...(since === null ? {} : { since }) }));
  } catch (error) {
    writer?.discard();
    for (const r of recorders) r.discard();
    throw error;
  } finally {
    for (const { exchange } of helpers) exchange.leave();
    library.close();
  }
}

/** How far apart checkpoints are: eight bars at 120 beats a minute. */
const CHECKPOINT_S: Seconds = 16;
const COPIED_AT_ONCE: Frames = 4096;

/**
 * What takes checkpoints of the render of one file and goes on from the latest one that is known: what comes before is
 * given to its sink from the earlier file, so that everything behind the sink is as in a whole render. Null where none
 * are wanted.
 */
function spliceOf(task: RenderTask, sink: Sink | undefined, passFrom: Frames, library: AudioLibrary) {
  const [file] = task.files;
  if (!file?.lane || !sink || task.files.length > 1 || (task.helpers ?? []).length > 0) return null;
  const block = task.blockFrames ?? DEFAULT_BLOCK;
  const prefixAt = (clock: Frames) => prefixFingerprint(task.session, [file.tap], clock);
  const writer = new CheckpointWriter(waitingPath(file.path), prefixAt);
  const known = latestCheckpoint(task.dataRoot, file.lane, prefixAt);
  let since: Frames | null = null;
  const onResume = (first: Frames): boolean => {
    const before = known && audioOf(known.audio, library);
    if (!before || before.frames < first - passFrom) return false;
    const [left, right] = [new Float32Array(COPIED_AT_ONCE), new Float32Array(COPIED_AT_ONCE)];
    for (let at = passFrom; at < first; at += COPIED_AT_ONCE) {
      const count = Math.min(COPIED_AT_ONCE, first - at);
      before.read(at - passFrom, count, left, right, 0);
      sink(left, right, 0, count);
    }
    since = first;
    return true;
  };
  return {
    writer,
    since: () => since,
    request: {
      ...(known ? { resume: known.checkpoint, onResume } : {}),
      checkpoints: {
        every: Math.round((CHECKPOINT_S * task.session.rate) / block) * block,
        take: (checkpoint: Checkpoint) => writer.take(checkpoint),
      },
    },
  };
}

/** Audio of the store, or null where it is not there any more. */
function audioOf(hash: string, library: AudioLibrary): AudioReader | null {
  try {
    return library(hash);
  } catch (error) {
    if (error instanceof MissingAudio) return null;
    throw error;
  }
}

const ignore: Sink = () => undefined;

const isSilent = (sample: number): boolean => Math.abs(sample) <= TRIM_FLOOR;

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
function sinkOf(
  file: OutputFile,
  sink: Sink = ignore,
  { from, tail, session }: Pick<RenderTask, "from" | "tail" | "session">,
  around: ReturnType<typeof converterReach>,
): Sink {
  const last = file.fold ? folded(sink, file.fold) : sink;
  return file.cut
    ? new PieceCutter(from, file.cut, file.cut.exact ? "none" : tail, session.rate, last, around).sink
    : last;
}

/** A file to be written, whatever its audio comes from. */
export type Recording = Pick<OutputFile, "path" | "ditherSeed" | "foldMono"> & {
  readonly format: WavFormat & { readonly depth: OutputFile["format"]["depth"] };
  readonly bext: Bext | null;
} & Pick<OutputFile, "chunks" | "leadFrames" | "trims" | "make">;

/** Audio on its way into one file: converted to the file's rate, measured, drawn, dithered and packed. */
export class Recorder {
  readonly sink: Sink;
  private readonly meter: Meter;
  private readonly out: FileSink;
  private readonly writer: WavWriter;
  private readonly resampler: Resampler | null;
  private frames: Frames = 0;
  /** Behind the last frame that is louder than silence, where that is looked for. */
  private soundEnd: Frames = 0;
  private closed = false;

  /**
   * `span`, for files at another rate: frame of the timeline that comes first, the one that the file begins with, and
   * how many come behind its end, all at `fromRate`. The file's frames are then those of the whole timeline converted.
   */
  constructor(
    private readonly file: Recording,
    fromRate: number,
    private readonly span = { at: 0, from: 0, behind: 0 },
  ) {
    this.out = new FileSink(file.path);
    this.meter = new Meter(file.format.rate);
    // What is measured is what is in the file: held at full scale, dithered, rounded.
    this.writer = new WavWriter(this.out, {
      format: file.format,
      bext: file.bext,
      ...(file.chunks ? { chunks: file.chunks.stereo } : {}),
      ditherSeed: file.ditherSeed,
      asWritten: this.meter.push.bind(this.meter),
    });
    this.resampler =
      file.format.rate === fromRate
        ? null
        : new Resampler(fromRate, file.format.rate, this.take, {
            at: span.at,
            first: convertedFrame(span.from, fromRate, file.format.rate),
          });
    this.sink = this.resampler ? this.resampler.push.bind(this.resampler) : this.take;
    this.writer.silence(file.leadFrames ?? 0);
    this.frames = file.leadFrames ?? 0;
  }

  private readonly take: Sink = (left, right, offset, count) => {
    this.writer.write(left, right, offset, count);
    if (this.file.trims) {
      let i = count;
      // From the end: most blocks sound in their last frames, if they do.
      while (i > 0 && isSilent(left[offset + i - 1] as number) && isSilent(right[offset + i - 1] as number)) i--;
      if (i > 0) this.soundEnd = this.frames + i;
    }
    this.frames += count;
  };

  /** Ends the file; any free thread seals it. */
  close(): RenderedFile {
    this.resampler?.finish(this.span.behind);
    const { format } = this.file;
    const kept = this.file.trims ? Math.max(this.soundEnd, Math.min(1, this.frames)) : this.frames;
    const fold = this.file.foldMono && this.writer.alike && format.channels === 2;
    const channels = fold ? 1 : format.channels;
    const measures = {
      ...this.meter.finish(channels, kept),
      mono: this.writer.alike,
      // Of two channels that are one, each sample is counted once.
      clippedSamples: fold ? this.writer.clipped / 2 : this.writer.clipped,
    };
    const { lufs, rangeLu, truePeakDb, maxMomentaryLufs = null, maxShortTermLufs = null } = measures;
    this.writer.finish({
      integratedLufs: lufs,
      rangeLu,
      maxTruePeakDb: truePeakDb,
      maxMomentaryLufs,
      maxShortTermLufs,
    });
    this.out.close();
    this.closed = true;
    return {
      path: this.file.path,
      format: { ...format, channels },
      frames: kept,
      measures,
      overview: this.meter.overview(),
      seal: {
        fold,
        frames: kept,
        ...(this.file.chunks ? { chunks: fold ? this.file.chunks.mono : this.file.chunks.stereo } : {}),
        ...(this.file.make ? { make: this.file.make } : {}),
      },
    };
  }

  async finish(): Promise<WrittenFile> {
    const file = this.close();
    return sealed(file, await seal({ path: file.path, ...file.seal }));
  }

  discard(): void {
    if (!this.closed) this.out.abandon();
    rmSync(this.file.path, { force: true });
  }
}

/** Keeps a stretch with what rings over its end, or came before it, and makes a loop of it when it is over. */
class LoopRecorder {
  readonly sink: Sink;
  private readonly scratchPath: string;
  private readonly out: FileSink;
  private readonly writer: WavWriter;
  private readonly recorder: Recorder;
  private closed = false;

  constructor(
    private readonly file: OutputFile & { readonly loop: NonNullable<OutputFile["loop"]> },
    private readonly rate: number,
  ) {
    // What reaches it has the file's rate already: a loop is converted as it goes round.
    this.recorder = new Recorder(file, file.format.rate);
    this.scratchPath = `${file.path}.loop`;
    this.out = new FileSink(this.scratchPath);
    this.writer = new WavWriter(this.out, {
      format: { rate, channels: 2, depth: "32f" },
      bext: null,
      ditherSeed: null,
    });
    this.sink = this.writer.write.bind(this.writer);
  }

  close(): RenderedFile {
    const { frames, lead } = this.file.loop;
    this.writer.finish();
    this.out.close();
    this.closed = true;
    const source = new FileSource(this.scratchPath);
    try {
      writeLoop(WavReader.open(source), frames, lead, this.recorder.sink, {
        from: this.rate,
        to: this.file.format.rate,
      });
      return this.recorder.close();
    } finally {
      source.close();
      rmSync(this.scratchPath, { force: true });
    }
  }

  discard(): void {
    if (!this.closed) this.out.abandon();
    rmSync(this.scratchPath, { force: true });
    this.recorder.discard();
  }
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
