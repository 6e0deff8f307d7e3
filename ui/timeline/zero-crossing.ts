import { reshapeOf } from "../../core/session/clips";
import type { Clip, Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { audioAddress } from "../session/api";

/** How far an edge goes for a crossing. */
const WITHIN_S = 0.005;

/**
 * A trimmed clip with the edge that was moved at the nearest crossing of zero of its left channel, where that is nearer
 * than five milliseconds. What is stretched, reversed or a nest stays as it is: its samples are not those of the file.
 * Throws where the samples cannot be had.
 */
export async function atZeroCrossing(before: Clip, after: Clip, session: Session): Promise<Clip> {
  if (before.kind !== "audio" || after.kind !== "audio" || after.reverse || reshapeOf(after)) return after;
  const start = after.start !== before.start;
  const edge = start ? after.offset : after.offset + after.frames;
  const within = Math.round(WITHIN_S * session.rate);
  const from = Math.max(0, edge - within);
  const audio = await readPart(after.asset, from, edge + within);
  const found = nearestCrossing(audio, edge - from);
  if (found === null) return after;
  const by = found + from - edge;
  if (start)
    return after.frames - by < after.fadeIn.frames + after.fadeOut.frames || after.start + by < 0
      ? after
      : { ...after, start: after.start + by, offset: after.offset + by, frames: after.frames - by };
  return after.frames + by < after.fadeIn.frames + after.fadeOut.frames
    ? after
    : { ...after, frames: after.frames + by };
}

/**
 * Index of the first sample on the other side of zero that is nearest to `at`; null where the signal does not cross.
 */
export function nearestCrossing(samples: Float32Array, at: number): number | null {
  let best: number | null = null;
  for (let i = 1; i < samples.length; i++) {
    const [a, b] = [samples[i - 1] as number, samples[i] as number];
    if ((a < 0 && b >= 0) || (a > 0 && b <= 0)) {
      if (best === null || Math.abs(i - at) < Math.abs(best - at)) best = i;
    }
  }
  return best;
}

/** A few frames of a stored file. */
async function readPart(hash: string, from: Frames, to: Frames): Promise<Float32Array> {
  const response = await fetch(`${audioAddress(hash)}/samples?from=${from}&frames=${to - from}`);
  if (!response.ok) throw new Error(`samples: ${response.status}`);
  return new Float32Array(await response.arrayBuffer());
}
