import { PEAK_FRAMES } from "../../core/analysis/peaks";
import type { Frames } from "../../core/units";
import { audioAddress } from "../session/api";

/** Waveform overviews by asset hash; each is fetched once, and listeners are told when it has come. */
const loaded = new Map<string, Int8Array | "on its way">();
const waiting = new Set<() => void>();

export function overviewOf(hash: string): Int8Array | null {
  const known = loaded.get(hash);
  if (known === undefined) {
    loaded.set(hash, "on its way");
    fetch(`${audioAddress(hash)}/overview`)
      .then(async (response) => {
        if (!response.ok) throw new Error(`overview: ${response.status}`);
        loaded.set(hash, new Int8Array(await response.arrayBuffer()));
        requestRedraw();
      })
      // Asked for again at the next drawing; the clip stays an empty outline until then.
      .catch(() => loaded.delete(hash));
  }
  return known instanceof Int8Array ? known : null;
}

export function onOverview(tell: () => void): () => void {
  waiting.add(tell);
  return () => waiting.delete(tell);
}

/** Something that is drawn has come. */
export const requestRedraw = (): void => waiting.forEach((tell) => tell());

/** Lowest and highest value (-127 to 127) between two frames of an asset. */
export function extremes(overview: Int8Array, from: Frames, to: Frames): readonly [low: number, high: number] {
  let low = 0;
  let high = 0;
  const first = Math.max(0, Math.floor(from / PEAK_FRAMES));
  const last = Math.min(overview.length / 2, Math.max(first + 1, Math.ceil(to / PEAK_FRAMES)));
  for (let k = first; k < last; k++) {
    low = Math.min(low, overview[2 * k] ?? 0);
    high = Math.max(high, overview[2 * k + 1] ?? 0);
  }
  return [low, high];
}
