import type { Differing } from "../../core/analysis/difference";
import { DifferenceFinder } from "../../core/analysis/difference";
import { DEFAULT_BLOCK, RenderCancelled, render, sessionEnd } from "../../core/engine/render";
import type { Sink } from "../../core/engine/render";
import type { Tap } from "../../core/engine/tap";
import { WavReader } from "../../core/formats/wav/read";
import { WavWriter } from "../../core/formats/wav/write";
import type { Frames } from "../../core/units";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import type { Session } from "../../core/session/document";

/** Plays taps of two versions of a session against each other; one scratch file a tap. */
export interface CompareVersionsTask {
  readonly kind: "compare versions";
  readonly before: Session;
  readonly after: Session;
  readonly taps: readonly Tap[];
  readonly dataRoot: string;
  readonly scratch: readonly string[];
}

/** What rings after the last clip is heard for so long. */
const TAIL_S = 4;

/**
 * Renders two versions of a session and finds where each tap sounds different. The first version's taps are kept in
 * scratch files meanwhile, one each, which the caller removes.
 */
export function compareVersions(
  { before, after, taps, dataRoot, scratch }: CompareVersionsTask,
  progress: (done: Frames) => boolean,
): readonly Differing[] {
  const { rate } = before;
  const to = Math.max(sessionEnd(before), sessionEnd(after)) + TAIL_S * rate;
  const library = new AudioStore(dataRoot).library();
  const pass = (session: CompareVersionsTask["before"], done: Frames, sinkOf: (tap: Tap, place: number) => Sink) =>
    render({
      session,
      library: library.find,
      taps: taps.map((tap, i) => ({ tap, sink: sinkOf(tap, i) })),
      from: 0,
      to,
      tail: "none",
      onBlock: (frames) => progress(done + frames),
    });
  const open: { close(): void }[] = [];
  try {
    const files = scratch.map((path) => new FileSink(path));
    open.push(...files);
    const writers = files.map(
      (file) => new WavWriter(file, { format: { rate, channels: 2, depth: "32f" }, bext: null, ditherSeed: null }),
    );
    pass(before, 0, (_, i) => (left, right, offset, count) => writers[i]?.write(left, right, offset, count));
    for (const writer of writers) writer.finish();
    for (const file of open.splice(0)) file.close();
    const sources = scratch.map((path) => new FileSource(path));
    open.push(...sources);
    const readers = sources.map((source) => WavReader.open(source));
    const finders = taps.map(() => new DifferenceFinder(rate));
    const places = taps.map(() => 0);
    const was = [new Float32Array(DEFAULT_BLOCK), new Float32Array(DEFAULT_BLOCK)] as const;
    pass(after, to, (_, i) => (left, right, offset, count) => {
      const at = places[i] as number;
      readers[i]?.read(at, count, was[0], was[1], 0);
      finders[i]?.push(was, [left, right], offset, count);
      places[i] = at + count;
    });
    return finders.map((f) => f.finish());
  } catch (error) {
    if (error instanceof RenderCancelled) throw new RenderCancelled("The comparison was cancelled.");
    throw error;
  } finally {
    for (const file of open) file.close();
    library.close();
  }
}
