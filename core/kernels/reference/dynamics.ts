import { dbToGain, gainToDb } from "../../math";

/** The louder channel's magnitude. */
export function louder(out: Float64Array, left: Float32Array, right: Float32Array, n: number): void {
  for (let i = 0; i < n; i++) out[i] = Math.max(Math.abs(left[i] as number), Math.abs(right[i] as number));
}

/**
 * Gain change in dB that a static compressor curve asks for at a level. Giannoulis, Massberg, Reiss, JAES 60(6), 2012,
 * eq. 4.
 */
export function compressionDb(levelDb: number, thresholdDb: number, ratio: number, kneeDb: number): number {
  const over = levelDb - thresholdDb;
  if (2 * over <= -kneeDb) return 0;
  const slope = 1 / ratio - 1;
  if (kneeDb > 0 && 2 * Math.abs(over) < kneeDb) {
    const into = over + kneeDb / 2;
    return (slope * into * into) / (2 * kneeDb);
  }
  return slope * over;
}

export interface Compressing {
  readonly threshold: number;
  readonly ratio: number;
  readonly knee: number;
  /** Parts of the way that are gone a frame. */
  readonly attack: number;
  readonly release: number;
  readonly makeUp: number;
  readonly makeUpStep: number;
  reduction: number;
}

/** Magnitudes to the gains of a feed-forward compressor, smoothed in dB. */
export function compress(gains: Float64Array, n: number, c: Compressing): void {
  const floor = dbToGain(c.threshold - c.knee / 2);
  let made = c.makeUp;
  for (let i = 0; i < n; i++) {
    const peak = gains[i] as number;
    const wanted = peak > floor ? compressionDb(gainToDb(peak), c.threshold, c.ratio, c.knee) : 0;
    c.reduction += (wanted < c.reduction ? c.attack : c.release) * (wanted - c.reduction);
    // A ten-billionth of a dB is far below a sample's resolution: the gain is then exactly the make-up.
    if (c.reduction > -1e-10) c.reduction = 0;
    made += c.makeUpStep;
    gains[i] = c.reduction === 0 ? made : made * dbToGain(c.reduction);
  }
}

export interface Limiting {
  readonly ceiling: number;
  readonly release: number;
  /** What each frame of the window needed, and the gains it was given, the oldest first. */
  readonly needs: number[];
  readonly held: number[];
  gain: number;
  sum: number;
}

/**
 * Magnitudes to the gains of a limiter: the least gain needed within the window, let go slowly, averaged over the
 * window.
 */
export function limit(gains: Float64Array, n: number, window: number, l: Limiting): void {
  for (let i = 0; i < n; i++) {
    const peak = gains[i] as number;
    l.needs.push(peak > l.ceiling ? l.ceiling / peak : 1);
    if (l.needs.length > window) l.needs.shift();
    const lowest = Math.min(...l.needs);
    l.gain = lowest < l.gain ? lowest : l.gain + l.release * (lowest - l.gain);
    if (1 - l.gain < 1e-9) l.gain = 1;
    l.sum += l.gain - (l.held.shift() ?? 1);
    l.held.push(l.gain);
    if (l.held.every((g) => g === 1)) l.sum = window;
    gains[i] = l.sum === window ? 1 : l.sum / window;
  }
}

/** Two channels held back by the length of `held`, each frame leaving with its gain. */
export function applyGains(
  left: Float32Array,
  right: Float32Array,
  n: number,
  gains: Float64Array,
  held: (readonly [left: number, right: number])[],
): void {
  for (let i = 0; i < n; i++) {
    held.push([left[i] as number, right[i] as number]);
    const [l, r] = held.shift() ?? [0, 0];
    left[i] = l * (gains[i] as number);
    right[i] = r * (gains[i] as number);
  }
}
