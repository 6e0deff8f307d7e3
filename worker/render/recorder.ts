import { rmSync } from "node:fs";
import { Meter } from "../../core/analysis/measure";
import { Resampler, convertedFrame } from "../../core/analysis/resample";
import type { AudioReader } from "../../core/audio/audio-reader";
import { CheckpointMisfit } from "../../core/engine/checkpoint";
import { RenderCancelled, type Sink } from "../../core/engine/render";
import { TRIM_FLOOR } from "../../core/engine/tail";
import { frameBytes, type Bext, type WavFormat } from "../../core/formats/wav/format";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { PartState } from "../../core/kernels/arena";
import { writeLoop } from "../../core/printing/seam";
import type { Frames } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import type { OutputFile, RenderedFile, WrittenFile } from "../files/output-file";
import { sealed } from "../files/output-file";
import { seal } from "./seal";

const COPIED_AT_ONCE: Frames = 65_536;

const isSilent = (sample: number): boolean => Math.abs(sample) <= TRIM_FLOOR;

/** Samples of `width` bytes, each of them for both channels. */
function twice(mono: Uint8Array, width: number): Uint8Array {
  const both = new Uint8Array(2 * mono.length);
  for (let i = 0; i < mono.length; i++) {
    const at = 2 * i - (i % width);
    both[at] = both[at + width] = mono[i] as number;
  }
  return both;
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
      asWritten: (left, right, offset, count) => this.meter.push(left, right, offset, count),
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

  /** Everything it remembers between two blocks, by part. */
  save(): ReadonlyMap<string, PartState> {
    const { frames, soundEnd, writer, resampler } = this;
    return new Map([
      ["file", { bytes: new Uint8Array(0), numbers: [frames, soundEnd, Number(writer.alike), writer.clipped] }],
      ["meter", this.meter.save()],
      ...(resampler ? [["converter", resampler.save()] as const] : []),
    ]);
  }

  /**
   * Goes on where another one was, which wrote `before`: its first frames are copied. Throws `CheckpointMisfit` where
   * they are not the samples of this file, and `RenderCancelled`.
   */
  load(partOf: (name: string) => PartState | undefined, before: AudioReader, cancelled: () => boolean): void {
    const [file, meter, converter] = [partOf("file"), partOf("meter"), partOf("converter")];
    const { rate, depth, channels } = this.file.format;
    const isAlike = before instanceof WavReader && before.format.rate === rate && before.format.depth === depth;
    if (!file || !meter || channels !== 2 || !isAlike || (this.resampler !== null) !== (converter !== undefined))
      throw new CheckpointMisfit();
    const [frames = 0, soundEnd = 0, alike = 0, clipped = 0] = file.numbers;
    if (before.frames < frames) throw new CheckpointMisfit();
    const bytes = new Uint8Array(COPIED_AT_ONCE * frameBytes(before.format));
    // The silence in front is written already.
    for (let from = this.frames; from < frames; from += COPIED_AT_ONCE) {
      if (cancelled()) throw new RenderCancelled("The render was cancelled.");
      const piece = bytes.subarray(0, Math.min(COPIED_AT_ONCE, frames - from) * frameBytes(before.format));
      before.copy(from, piece);
      this.writer.append(before.channels === 1 ? twice(piece, frameBytes(before.format)) : piece);
    }
    Object.assign(this, { frames, soundEnd });
    Object.assign(this.writer, { alike: alike === 1, clipped });
    this.meter.load(meter);
    if (converter) this.resampler?.load(converter);
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
export class LoopRecorder {
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
