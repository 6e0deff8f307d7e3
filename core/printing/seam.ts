import { Resampler, converterReach } from "../analysis/resample";
import { PI, cos, gainToDb, sin } from "../math";
import type { Sink } from "../engine/render";
import type { Frames, Hertz } from "../units";
import type { Edges } from "./findings";

/** A recording that a loop is made of: it begins `lead` frames before the loop and may ring on after it. */
export interface LoopSource {
  readonly frames: Frames;
  read(from: Frames, count: Frames, left: Float32Array, right: Float32Array, offset: number): void;
}

const BLOCK: Frames = 4096;

/**
 * Writes `frames` frames that can be played round and round. Without a lead, whatever rings over the end is added to
 * the beginning, as often as it goes round: the second pass of the loop, which has the first one's ring in it. With
 * one, the end fades into the lead, which ends where the loop begins (equal power). A loop that is kept at another rate
 * has the whole number of frames there that is nearest to its length, is stretched to it by the fraction of a frame
 * that it misses, and is converted as it goes round, so that the converter finds the end before the beginning and the
 * beginning behind the end.
 */
export function writeLoop(
  source: LoopSource,
  frames: Frames,
  lead: Frames,
  sink: Sink,
  rate: { readonly from: Hertz; readonly to: Hertz } | null = null,
): void {
  if (rate === null || rate.from === rate.to) return goRound(source, frames, lead, { before: 0, behind: 0 }, sink);
  const kept = Math.max(1, Math.round((frames * rate.to) / rate.from));
  const around = converterReach(frames, kept);
  const converter = new Resampler(frames, kept, sink, { at: -around.before });
  goRound(source, frames, lead, around, converter.push.bind(converter));
  converter.finish(around.behind);
}

/** Writes the loop with so many frames of itself before and behind it. */
function goRound(
  source: LoopSource,
  frames: Frames,
  lead: Frames,
  { before, behind }: { readonly before: Frames; readonly behind: Frames },
  sink: Sink,
): void {
  const left = new Float32Array(BLOCK),
    right = new Float32Array(BLOCK),
    addLeft = new Float32Array(BLOCK),
    addRight = new Float32Array(BLOCK);
  for (let played = -before; played < frames + behind;) {
    const at = ((played % frames) + frames) % frames;
    const count = Math.min(BLOCK, frames - at, frames + behind - played);
    played += count;
    source.read(lead + at, count, left, right, 0);
    if (lead === 0) {
      for (let from = at + frames; from < source.frames; from += frames) {
        const n = Math.min(count, source.frames - from);
        source.read(from, n, addLeft, addRight, 0);
        for (let i = 0; i < n; i++) {
          left[i] = (left[i] as number) + (addLeft[i] as number);
          right[i] = (right[i] as number) + (addRight[i] as number);
        }
      }
    } else {
      const begins = frames - lead;
      const first = Math.max(0, begins - at);
      if (first < count) source.read(at + first - begins, count - first, addLeft, addRight, first);
      for (let i = first; i < count; i++) {
        const angle = (PI / 2) * ((at + i - begins + 0.5) / lead);
        const [out, into] = [cos(angle), sin(angle)];
        left[i] = out * (left[i] as number) + into * (addLeft[i] as number);
        right[i] = out * (right[i] as number) + into * (addRight[i] as number);
      }
    }
    sink(left, right, 0, count);
  }
}

/**
 * The step from a loop's last sample to its first, and the largest step between two samples near by: a seam that is no
 * larger cannot be told from the sound.
 */
export interface Seam {
  readonly jumpDb: number | null;
  readonly slopeDb: number | null;
}

const level = (x: number): number | null => (x === 0 ? null : gainToDb(x));

/** Measures the seam between a loop's last frames and its first. */
export function seamOf({ first, last }: Edges): Seam {
  let jump = 0;
  let slope = 0;
  for (const c of [0, 1] as const) {
    jump = Math.max(jump, Math.abs((first[c][0] ?? 0) - (last[c].at(-1) ?? 0)));
    for (const part of [first[c], last[c]])
      for (let i = 1; i < part.length; i++)
        slope = Math.max(slope, Math.abs((part[i] as number) - (part[i - 1] as number)));
  }
  return { jumpDb: level(jump), slopeDb: level(slope) };
}
