import { FLUSH } from "./states";

/** Eight delay lines feeding each other: see the kernel. */
export function feedbackNetwork(
  left: Float32Array,
  right: Float32Array,
  n: number,
  out: Float64Array,
  ring: Float64Array,
  heads: Int32Array,
  starts: Int32Array,
  ends: Int32Array,
  lines: Float64Array,
  damp: number,
  dampStep: number,
): number {
  const flushed = (x: number) => (Math.abs(x) < FLUSH ? 0 : x);
  let silent = 0;
  let d = damp;
  for (let i = 0; i < n; i++) {
    d += dampStep;
    const sums = [0, 0];
    let awake = left[i] !== 0 || right[i] !== 0;
    for (let k = 0; k < 8; k++) {
      const gain = (lines[k] = (lines[k] as number) + (lines[8 + k] as number));
      const low = (lines[16 + k] = flushed(
        (1 - d) * (ring[heads[k] as number] as number) + d * (lines[16 + k] as number),
      ));
      out[8 * i + k] = low * gain;
      sums[k & 1] = (sums[k & 1] as number) + low * gain;
    }
    const fed = ((sums[0] as number) + (sums[1] as number)) * 0.25;
    for (let k = 0; k < 8; k++) {
      const value = flushed((out[8 * i + k] as number) - fed + ((k & 1 ? right[i] : left[i]) as number));
      awake ||= value !== 0;
      const head = heads[k] as number;
      ring[head] = value;
      heads[k] = head + 1 === ends[k] ? (starts[k] as number) : head + 1;
    }
    silent = awake ? 0 : silent + 1;
  }
  return silent;
}

export interface Leaving {
  wet: number;
  readonly wetStep: number;
  readonly gain: number;
  readonly pole: number;
  /** The filter's last inputs, and its last outputs. */
  readonly x: [number, number];
  readonly y: [number, number];
}

/**
 * What the eight lines of `feedbackNetwork` gave, in two channels, through a first-order high-pass, and with the dry
 * signal.
 */
export function outOfNetwork(left: Float32Array, right: Float32Array, n: number, outs: Float64Array, l: Leaving): void {
  for (let i = 0; i < n; i++) {
    const [o0 = 0, o1 = 0, o2 = 0, o3 = 0, o4 = 0, o5 = 0, o6 = 0, o7 = 0] = outs.subarray(8 * i, 8 * i + 8);
    const mixed = [0.35 * (o0 - o2 + o4 - o6 + 0.5 * (o1 - o3)), 0.35 * (o1 - o3 + o5 - o7 + 0.5 * (o0 - o2))] as const;
    l.wet += l.wetStep;
    for (const [side, x] of [
      [0, left],
      [1, right],
    ] as const) {
      l.y[side] = l.gain * (mixed[side] - l.x[side]) + l.pole * l.y[side];
      l.x[side] = mixed[side];
      x[i] = (x[i] as number) * (1 - l.wet) + l.y[side] * l.wet;
    }
  }
  for (const side of [0, 1] as const) if (Math.abs(l.y[side]) < FLUSH) l.y[side] = 0;
}
