import { gainToDb } from "../../core/math";
import { MIX_AFTER } from "../../core/engine/tap";
import { DEFAULT_BLOCK, RenderCancelled, render, sessionEnd } from "../../core/engine/render";
import type { Sink } from "../../core/engine/render";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { Recorder } from "../render/recorder";
import type { WrittenFile } from "../files/output-file";

/** Writes the mix of two sessions and their difference over a stretch. */
export interface ListenTask {
  readonly kind: "listen";
  readonly before: Session;
  readonly after: Session;
  readonly from: Frames;
  readonly to: Frames;
  readonly dataRoot: string;
  readonly paths: { readonly before: string; readonly after: string; readonly difference: string };
}

export interface Listening {
  readonly before: WrittenFile;
  readonly after: WrittenFile;
  readonly difference: WrittenFile;
  /** The largest sample of the difference; null: not one bit of it is left. */
  readonly peakDb: number | null;
}

/** Plays the mix of two sessions against each other. */
export interface CompareTask {
  readonly kind: "compare";
  readonly before: Session;
  readonly after: Session;
  readonly dataRoot: string;
  readonly scratch: string;
}

/** What is left when one mix is taken from the other: its peak, and where; null: nothing at all. */
export interface Residue {
  readonly peakDb: number | null;
  readonly at: Frames;
}

/** What rings after the last clip is heard for so long. */
const TAIL_S = 4;

/** Writes both mixes over a stretch, and one taken from the other. On an error no file is left. */
export async function writeListening(
  { before, after, from, to, dataRoot, paths }: ListenTask,
  progress: (done: Frames) => boolean,
): Promise<Listening> {
  const library = new AudioStore(dataRoot).library();
  const recorders: Recorder[] = [];
  const recorder = (path: string) => {
    const made = new Recorder(
      { path, ditherSeed: null, foldMono: false, bext: null, format: { rate: before.rate, channels: 2, depth: "32f" } },
      before.rate,
    );
    recorders.push(made);
    return made;
  };
  const mix = (session: Session, base: Frames, sink: Sink) =>
    render({
      session,
      library: library.find,
      taps: [{ tap: MIX_AFTER, sink }],
      from,
      to,
      tail: "none",
      onBlock: (frames) => progress(base + frames),
    });
  try {
    const first = recorder(paths.before);
    mix(before, 0, first.sink);
    const one = await first.finish();
    const source = new FileSource(paths.before);
    try {
      const reference = WavReader.open(source);
      const [second, difference] = [recorder(paths.after), recorder(paths.difference)];
      const left = new Float32Array(DEFAULT_BLOCK),
        right = new Float32Array(DEFAULT_BLOCK);
      let at = 0;
      let peak = 0;
      mix(after, to, (l, r, offset, count) => {
        second.sink(l, r, offset, count);
        reference.read(at, count, left, right, 0);
        for (let i = 0; i < count; i++) {
          left[i] = (l[offset + i] as number) - (left[i] as number);
          right[i] = (r[offset + i] as number) - (right[i] as number);
          peak = Math.max(peak, Math.abs(left[i] as number), Math.abs(right[i] as number));
        }
        difference.sink(left, right, 0, count);
        at += count;
      });
      return {
        before: one,
        after: await second.finish(),
        difference: await difference.finish(),
        peakDb: peak === 0 ? null : gainToDb(peak),
      };
    } finally {
      source.close();
    }
  } catch (error) {
    for (const r of recorders) r.discard();
    throw error;
  } finally {
    library.close();
  }
}

/**
 * Renders the mix of both sessions and finds the loudest place of their difference. The first is kept in a scratch file
 * meanwhile, which the caller removes.
 */
export function compareMixes(
  { before, after, dataRoot, scratch }: CompareTask,
  progress: (done: Frames) => boolean,
): Residue {
  const to = Math.max(sessionEnd(before), sessionEnd(after)) + TAIL_S * before.rate;
  const library = new AudioStore(dataRoot).library();
  const mix = (session: Session, done: Frames, sink: Sink) =>
    render({
      session,
      library: library.find,
      taps: [{ tap: MIX_AFTER, sink }],
      from: 0,
      to,
      tail: "none",
      onBlock: (frames) => progress(done + frames),
    });
  try {
    const file = new FileSink(scratch);
    try {
      const writer = new WavWriter(file, {
        format: { rate: before.rate, channels: 2, depth: "32f" },
        bext: null,
        ditherSeed: null,
      });
      mix(before, 0, (left, right, offset, count) => writer.write(left, right, offset, count));
      writer.finish();
    } finally {
      file.close();
    }
    const source = new FileSource(scratch);
    try {
      const reference = WavReader.open(source);
      let at = 0;
      let peak = 0;
      let place = 0;
      let left = new Float32Array(0),
        right = new Float32Array(0);
      mix(after, to, (l, r, offset, count) => {
        if (left.length < count) {
          left = new Float32Array(count);
          right = new Float32Array(count);
        }
        reference.read(at, count, left, right, 0);
        for (let i = 0; i < count; i++) {
          const off = Math.max(
            Math.abs((l[offset + i] as number) - (left[i] as number)),
            Math.abs((r[offset + i] as number) - (right[i] as number)),
          );
          if (off > peak) {
            peak = off;
            place = at + i;
          }
        }
        at += count;
      });
      return { peakDb: peak === 0 ? null : gainToDb(peak), at: place };
    } finally {
      source.close();
    }
  } catch (error) {
    if (error instanceof RenderCancelled) throw new RenderCancelled("The comparison was cancelled.");
    throw error;
  } finally {
    library.close();
  }
}
