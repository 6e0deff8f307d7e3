import type { Frames, Hertz, Seconds } from "../units";

/**
 * So much silence before a few last clips means that they were forgotten there. Of a whole session, where all tracks
 * are silent; of chosen tracks, which may well rest for a while.
 */
const GAP_S = { session: 8, tracks: 20 } as const satisfies Readonly<Record<string, Seconds>>;
/** As a part of all clips. */
const MOST_SHARE = { session: 1 / 4, tracks: 1 / 2 } as const;
const MOST_STRAYS = 3;

export interface Strays<T> {
  /** In order of their starts. */
  readonly strays: readonly T[];
  /** Where everything else ends. */
  readonly before: Frames;
}

/**
 * Clips that stand alone far behind everything else: at most three. Null: there are none. `spans`: of all clips, from
 * frame to frame of the timeline; `of`: what they are all clips of.
 */
export function straysIn<T extends { readonly from: Frames; readonly to: Frames }>(
  spans: readonly T[],
  rate: Hertz,
  of: keyof typeof GAP_S,
): Strays<T> | null {
  const sorted = [...spans].sort((a, b) => a.from - b.from);
  let end: Frames = 0;
  let [first, before] = [sorted.length, end];
  sorted.forEach(({ from, to }, i) => {
    if (i > 0 && from - end >= GAP_S[of] * rate) [first, before] = [i, end];
    end = Math.max(end, to);
  });
  const count = sorted.length - first;
  const most = Math.min(MOST_STRAYS, spans.length * MOST_SHARE[of]);
  return count === 0 || count > most ? null : { strays: sorted.slice(first), before };
}
