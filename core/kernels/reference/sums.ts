/** Largest magnitude in a block of two channels; NaN when any sample is none. */
export function blockPeak(left: Float32Array, right: Float32Array, frames: number): number {
  let peak = 0;
  for (const x of [left, right]) {
    for (let i = 0; i < frames; i++) {
      const v = x[i] as number;
      if (!(Math.abs(v) < Infinity)) return NaN;
      peak = Math.max(peak, Math.abs(v));
    }
  }
  return peak;
}

/** sum = input * gain when it is the first, else sum += input * gain, in double. */
export function addTo(sum: Float64Array, input: Float32Array, gain: number, first: boolean, frames: number): void {
  for (let i = 0; i < frames; i++) sum[i] = (input[i] as number) * gain + (first ? 0 : (sum[i] as number));
}

/** A double sum as samples; adding zero turns -0 into +0, so bytes do not depend on where silence was skipped. */
export function fromSum(out: Float32Array, sum: Float64Array, frames: number): void {
  for (let i = 0; i < frames; i++) out[i] = (sum[i] as number) + 0;
}

/** What a ring holds from `head` on, and the input in its place. */
export function hold(out: Float32Array, input: Float32Array, frames: number, ring: Float32Array, head: number): void {
  for (let i = 0; i < frames; i++) {
    const place = (head + i) % ring.length;
    const oldest = ring[place] as number;
    ring[place] = input[i] as number;
    out[i] = oldest;
  }
}

/** A gain in a straight line through a quantum of 64 frames, from its frame `place` on. */
export function glide(
  out: Float32Array,
  input: Float32Array,
  frames: number,
  from: number,
  change: number,
  place: number,
): void {
  for (let i = 0; i < frames; i++) out[i] = (input[i] as number) * (from + change * ((place + i) / 64));
}

/** out = input * gain, rounded once. */
export function scale(out: Float32Array, input: Float32Array, gain: number, frames: number): void {
  for (let i = 0; i < frames; i++) out[i] = (input[i] as number) * gain;
}

/** left = left * same + right * cross, and the other way round; both factors move by a step before each frame. */
export function widen(
  left: Float32Array,
  right: Float32Array,
  frames: number,
  same: number,
  sameStep: number,
  cross: number,
  crossStep: number,
): void {
  let [s, c] = [same, cross];
  for (let i = 0; i < frames; i++) {
    const [l, r] = [left[i] as number, right[i] as number];
    s += sameStep;
    c += crossStep;
    left[i] = l * s + r * c;
    right[i] = r * s + l * c;
  }
}
