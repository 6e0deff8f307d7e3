import type { Frames, Hertz, Seconds } from "../units";

/** This much silence before a few last clips means that they were forgotten there. */
const STRAY_GAP_S: Seconds = 8;
const MOST_STRAYS = 3;

export interface Strays<T> {
  /** In order of their starts. */
  readonly strays: readonly T[];
  /** Where everything else ends. */
  readonly before: Frames;
}

/**
 * Clips that stand alone far behind everything else: at most three, and at most half of all. Null: there are none.
 * `spans`: of all clips, from frame to frame of the timeline.
 */
export function straysIn<T extends { readonly from: Frames; readonly to: Frames }>(
  spans: readonly T[],
  rate: Hertz,
): Strays<T> | null {
  const sorted = [...spans].sort((a, b) => a.from - b.from);
  let end: Frames = 0;
  let found: Strays<T> | null = null;
  sorted.forEach(({ from, to }, i) => {
    if (i > 0 && from - end >= STRAY_GAP_S * rate) found = { strays: sorted.slice(i), before: end };
    end = Math.max(end, to);
  });
  const { strays = [] } = found ?? {};
  return strays.length > MOST_STRAYS || strays.length * 2 > spans.length ? null : found;
}
