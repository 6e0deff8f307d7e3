import { dbToGain, gainToDb } from "../math";
import { ditherBits } from "../random";

/** What the kernels compute, in plain TypeScript: easy to read, slower, and the same to the last bit. */
const FLUSH = 1e-30;
const QUANTUM = 64;
/** 1.5 * 2^52: added to a double and taken off again, it leaves the nearest whole number, the even one of two. */
const WHOLE = 6755399441055744;

/** One second-order section over two channels, transposed direct form II. k: b0 b1 b2 a1 a2; z: l1 r1 l2 r2. */
export function biquad(left: Float32Array, right: Float32Array, frames: number, k: Float64Array, z: Float64Array): void {
  const [b0 = 0, b1 = 0, b2 = 0, a1 = 0, a2 = 0] = k;
  const flat = b0 === 1 && b1 === a1 && b2 === a2;
  for (const [c, x] of [left, right].entries()) {
    let z1 = z[c] as number;
    let z2 = z[c + 2] as number;
    for (let from = 0; from < frames; from += QUANTUM) {
      let x1 = 0, x2 = 0, y1 = 0, y2 = 0;
      for (let i = from; i < from + QUANTUM; i++) {
        const now = x[i] as number;
        const stateful = flat || i < from + 2;
        const y = stateful ? b0 * now + z1 : b0 * now + b1 * x1 + b2 * x2 - a2 * y2 - a1 * y1;
        if (stateful) {
          z1 = b1 * now + z2 - a1 * y;
          z2 = b2 * now - a2 * y;
        }
        [x2, x1, y2, y1] = [x1, now, y1, y];
        x[i] = y;
      }
      if (!flat) {
        z1 = b1 * x1 - a1 * y1 + (b2 * x2 - a2 * y2);
        z2 = b2 * x1 - a2 * y1;
      }
      if (Math.abs(z1) < FLUSH && Math.abs(z2) < FLUSH) z1 = z2 = 0;
    }
    z[c] = z1;
    z[c + 2] = z2;
  }
}

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

/** out = input * gain, rounded once. */
export function hold(out: Float32Array, input: Float32Array, frames: number, ring: Float32Array, head: number): void {
  for (let i = 0; i < frames; i++) {
    const place = (head + i) % ring.length;
    const oldest = ring[place] as number;
    ring[place] = input[i] as number;
    out[i] = oldest;
  }
}

/** A gain in a straight line through a quantum of 64 frames, from its frame `place` on. */
export function glide(out: Float32Array, input: Float32Array, frames: number, from: number, change: number, place: number): void {
  for (let i = 0; i < frames; i++) out[i] = (input[i] as number) * (from + change * ((place + i) / 64));
}

export function scale(out: Float32Array, input: Float32Array, gain: number, frames: number): void {
  for (let i = 0; i < frames; i++) out[i] = (input[i] as number) * gain;
}

/** Interleaved 24-bit stereo to two channels; full scale is 1. */
export function unpack24(bytes: Uint8Array, left: Float32Array, right: Float32Array, frames: number): void {
  const sample = (at: number) => (((bytes[at] as number) << 8) | ((bytes[at + 1] as number) << 16) | ((bytes[at + 2] as number) << 24)) / 2147483648;
  for (let i = 0; i < frames; i++) {
    left[i] = sample(6 * i);
    right[i] = sample(6 * i + 3);
  }
}

/**
 * Channels to interleaved whole numbers of `width` bytes, little end first. Dither is two uniform halves, a triangle of two steps'
 * width (Lipshitz, Wannamaker & Vanderkooy 1992), from the seed and the absolute frame; rounded to the nearest, half to even. Returns how many samples were held at full scale.
 */
export function pack(bytes: Uint8Array, channels: readonly Float32Array[], frames: number, width: 2 | 3, seed: number | null, start: number): number {
  const scale = width === 3 ? 8388608 : 32768;
  let clipped = 0;
  let at = 0;
  for (let i = 0; i < frames; i++) {
    for (const [c, x] of channels.entries()) {
      const wanted = (x[i] as number) * scale;
      const bits = seed === null ? 0 : ditherBits(seed, (start + i) * 2 + c);
      const dither = seed === null ? 0 : ((bits & 0xffff) + (bits >>> 16)) / 65536 - 1;
      const v = Math.max(-scale, Math.min(scale - 1, wanted + dither + WHOLE - WHOLE));
      if (wanted > scale - 0.5 || wanted < -scale - 0.5) clipped++;
      for (let b = 0; b < width; b++) bytes[at++] = (v >> (8 * b)) & 0xff;
    }
  }
  return clipped;
}

export const PEAK_TAPS = 24;

/**
 * `known`, or the largest magnitude of three interpolated points a sample where that is larger, in single precision. The first and the last point mirror
 * each other and the middle one itself; kernels: half a row each of what those two have in common, of what divides them, and of the middle.
 */
export function interpolatedPeak(x: Float32Array, n: number, kernels: Float32Array, known: number): number {
  const f = Math.fround;
  const half = PEAK_TAPS / 2;
  let peak = known;
  for (let i = 0; i < n; i++) {
    let [common, apart, middle] = [0, 0, 0];
    for (let k = 0; k < half; k++) {
      const [v, w] = [x[i + k] as number, x[i + PEAK_TAPS - 1 - k] as number];
      common = f(common + f((kernels[k] as number) * f(v + w)));
      apart = f(apart + f((kernels[half + k] as number) * f(v - w)));
      middle = f(middle + f((kernels[2 * half + k] as number) * f(v + w)));
    }
    peak = Math.max(peak, f(Math.abs(common) + Math.abs(apart)), Math.abs(middle));
  }
  return peak;
}

/** Lowest and highest sample of two channels and zero. */
export function range(left: Float32Array, right: Float32Array, n: number): readonly [low: number, high: number] {
  let low = 0;
  let high = 0;
  for (const x of [left, right]) {
    for (let i = 0; i < n; i++) {
      low = Math.min(low, x[i] as number);
      high = Math.max(high, x[i] as number);
    }
  }
  return [low, high];
}

/** Whether two channels are the same to the last bit. */
export const equal = (left: Float32Array, right: Float32Array, n: number): boolean => left.subarray(0, n).every((v, i) => Object.is(v, right[i]));

/**
 * Sum of squares of two K-weighted channels, added at the end. k: b0 b1 b2 a1 a2 c1 c2; z: x1 x2 y1 y2 z1 z2, left and right of each.
 * ITU-R BS.1770-4, annex 1.
 */
export function kWeightedEnergy(left: Float32Array, right: Float32Array, n: number, k: Float64Array, z: Float64Array): number {
  const [b0 = 0, b1 = 0, b2 = 0, a1 = 0, a2 = 0, c1 = 0, c2 = 0] = k;
  const sums = [left, right].map((x, c) => {
    let [x1 = 0, x2 = 0, y1 = 0, y2 = 0, z1 = 0, z2 = 0] = [0, 1, 2, 3, 4, 5].map((i) => z[2 * i + c] as number);
    let sum = 0;
    for (let i = 0; i < n; i++) {
      const input = x[i] as number;
      const y = b0 * input + b1 * x1 + b2 * x2 - a2 * y2 - a1 * y1;
      const w = y - 2 * y1 + y2 - c2 * z2 - c1 * z1;
      x2 = x1;
      x1 = input;
      y2 = y1;
      y1 = y;
      z2 = z1;
      z1 = w;
      sum += w * w;
    }
    if (Math.abs(y1) < FLUSH) y1 = y2 = 0;
    if (Math.abs(z1) < FLUSH) z1 = z2 = 0;
    [x1, x2, y1, y2, z1, z2].forEach((v, i) => { z[2 * i + c] = v; });
    return sum;
  });
  return (sums[0] ?? 0) + (sums[1] ?? 0);
}

const f = Math.fround;

function saw(phase: number, reach: number): number {
  const y = f(f(phase) * f(1 / 2147483648));
  const near = Math.max(0, f(1 - f(f(1 - Math.abs(y)) * reach)));
  const bend = f(near * near);
  return f(y - (phase < 0 || Object.is(y, -0) ? -bend : bend));
}

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, in single precision. */
function saturate(value: number): number {
  const x = Math.max(-3, Math.min(3, value));
  const z = f(x * x);
  return f(f(x * f(27 + z)) / f(27 + f(9 * z)));
}

/** What a voice of the synthesiser is made of, as the kernel lays it out. */
export interface SynthVoice {
  /** Per oscillator: phase step, phase, half a cycle over a step, gains left and right. */
  readonly oscillators: readonly { readonly step: number; phase: number; readonly reach: number; readonly left: number; readonly right: number }[];
  /** Level, a, p, q and output gain, each with its change a step behind it. */
  readonly moving: Float64Array;
  /** l1 r1 l2 r2. */
  readonly states: Float64Array;
  readonly sub: { readonly step: number; phase: number };
}

/** One voice of the synthesiser over four steps of time at once, as far as single precision goes. */
export function synthVoice(left: Float32Array, right: Float32Array, steps: number, { oscillators, moving, states, sub }: SynthVoice, pulse: number, subLevel: number): void {
  const [, levelStep = 0] = moving;
  for (let s = 0; s < steps; s += 4) {
    const n = Math.min(4, steps - s);
    const base = moving[0] as number;
    const driven = Array.from({ length: n }, (_, j) => {
      const sums = [0, 0];
      for (const o of oscillators) {
        const phase = (o.phase + (((j + 1) * o.step) | 0)) | 0;
        let y = saw(phase, o.reach);
        if (pulse > 0) y = f(y - f(f(pulse) * saw(phase ^ 0x80000000, o.reach)));
        sums[0] = f((sums[0] as number) + f(y * o.left));
        sums[1] = f((sums[1] as number) + f(y * o.right));
      }
      if (subLevel > 0) {
        const phase = (sub.phase + (((j + 1) * sub.step) | 0)) | 0;
        const triangle = f(f(Math.abs(f(f(phase) * f(1 / 1073741824))) - 1) * f(subLevel));
        sums[0] = f((sums[0] as number) + triangle);
        sums[1] = f((sums[1] as number) + triangle);
      }
      const loud = f(f(base) + f(f(levelStep) * (j + 1)));
      return sums.map((x) => saturate(f(x * loud)));
    });
    for (const o of oscillators) o.phase = (o.phase + ((n * o.step) | 0)) | 0;
    if (subLevel > 0) sub.phase = (sub.phase + ((n * sub.step) | 0)) | 0;
    moving[0] = base + levelStep * n;
    driven.forEach((both, j) => {
      for (const k of [2, 4, 6, 8]) moving[k] = (moving[k] as number) + (moving[k + 1] as number);
      const [, , a = 0, , p = 0, , q = 0, , post = 0] = moving;
      for (const [side, out] of [left, right].entries()) {
        const s1 = states[side] as number;
        const s2 = states[2 + side] as number;
        const x = (both[side] as number) - s2;
        const next = s2 + p * s1 + q * x;
        states[side] = a * s1 + p * x;
        states[2 + side] = next;
        out[s + j] = f((out[s + j] as number) + f((s2 + next) * post));
      }
    });
  }
}

function dot(x: Float32Array, from: number, kernel: Float32Array, row: number, taps: number): number {
  const lanes = new Float32Array(4);
  for (let k = 0; k < taps; k++) lanes[k % 4] = f((lanes[k % 4] as number) + f((x[from + k] as number) * (kernel[row + k] as number)));
  const [a = 0, b = 0, c = 0, e = 0] = lanes;
  return f(f(a + b) + f(c + e));
}

/** out[i] += the sum of `taps` inputs from i * over on, weighted. */
export function decimate(out: Float32Array, input: Float32Array, frames: number, over: number, kernel: Float32Array, taps: number): void {
  for (let i = 0; i < frames; i++) out[i] = f((out[i] as number) + dot(input, i * over, kernel, 0, taps));
}

/** out[i * over + p] = the sum of `taps` inputs from i on, weighted by row p of the kernel. */
export function interpolate(out: Float32Array, input: Float32Array, frames: number, over: number, kernel: Float32Array, taps: number): void {
  for (let i = 0; i < frames; i++) for (let p = 0; p < over; p++) out[i * over + p] = dot(input, i, kernel, p * taps, taps);
}

/** y += x * h for complex numbers kept as two rows each. */
export function multiplyAdd(yr: Float64Array, yi: Float64Array, xr: Float64Array, xi: Float64Array, hr: Float64Array, hi: Float64Array, n: number): void {
  for (let k = 0; k < n; k++) {
    const a = xr[k] as number, b = xi[k] as number, c = hr[k] as number, d = hi[k] as number;
    yr[k] = (yr[k] as number) + (a * c - b * d);
    yi[k] = (yi[k] as number) + (a * d + b * c);
  }
}

/** x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample. */
export function drive(x: Float32Array, n: number, gain: number, gainStep: number, bias: number, biasStep: number): void {
  for (let i = 0; i < n; i++) {
    const g = f(f(gain) + f(f(gainStep) * (i + 1)));
    const b = f(f(bias) + f(f(biasStep) * (i + 1)));
    x[i] = f(saturate(f(f(g * (x[i] as number)) + b)) - saturate(b));
  }
}

/** A recording read at any rate: see the kernel. */
export function readBetween(out: Float32Array, x: Float32Array, n: number, position: number, step: number, first: number, table: Float32Array, phases: number): void {
  for (let i = 0; i < n; i++) {
    const at = position + i * step;
    const whole = Math.floor(at);
    const phase = (at - whole) * phases;
    const row = Math.floor(phase) * 32;
    const part = f(phase - Math.floor(phase));
    const lanes = new Float32Array(4);
    for (let k = 0; k < 32; k++) {
      const a = table[row + k] as number;
      const h = f(a + f(part * f((table[row + 32 + k] as number) - a)));
      lanes[k % 4] = f((lanes[k % 4] as number) + f(h * (x[whole - 15 - first + k] as number)));
    }
    const [a = 0, b = 0, c = 0, d = 0] = lanes;
    out[i] = f(f(a + b) + f(c + d));
  }
}

/** Six decaying modes as two-pole resonators. modes: six each of c1, c2, last and last but one output. */
export function resonate(left: Float32Array, right: Float32Array, n: number, modes: Float64Array, gainLeft: number, gainRight: number): void {
  for (let i = 0; i < n; i++) {
    const y = Array.from({ length: 6 }, (_, m) => (modes[m] as number) * (modes[12 + m] as number) + (modes[6 + m] as number) * (modes[18 + m] as number));
    y.forEach((v, m) => {
      modes[18 + m] = modes[12 + m] as number;
      modes[12 + m] = v;
    });
    const [a = 0, b = 0, c = 0, d = 0, e = 0, g = 0] = y;
    const sum = a + c + e + (b + d + g);
    left[i] = f((left[i] as number) + f(sum * gainLeft));
    right[i] = f((right[i] as number) + f(sum * gainRight));
  }
}

/** Eight delay lines feeding each other: see the kernel. */
export function feedbackNetwork(
  left: Float32Array, right: Float32Array, n: number, out: Float64Array, ring: Float64Array,
  heads: Int32Array, starts: Int32Array, ends: Int32Array, lines: Float64Array, damp: number, dampStep: number,
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
      const low = (lines[16 + k] = flushed((1 - d) * (ring[heads[k] as number] as number) + d * (lines[16 + k] as number)));
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

/** The louder channel's magnitude. */
export function louder(out: Float64Array, left: Float32Array, right: Float32Array, n: number): void {
  for (let i = 0; i < n; i++) out[i] = Math.max(Math.abs(left[i] as number), Math.abs(right[i] as number));
}

/** Gain change in dB that a static compressor curve asks for at a level. Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4. */
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

/** Magnitudes to the gains of a limiter: the least gain needed within the window, let go slowly, averaged over the window. */
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
export function applyGains(left: Float32Array, right: Float32Array, n: number, gains: Float64Array, held: (readonly [left: number, right: number])[]): void {
  for (let i = 0; i < n; i++) {
    held.push([left[i] as number, right[i] as number]);
    const [l, r] = held.shift() ?? [0, 0];
    left[i] = l * (gains[i] as number);
    right[i] = r * (gains[i] as number);
  }
}

/** A cubic through four values around a place between the second and the third (Catmull-Rom). */
export const cubic = (p0: number, p1: number, p2: number, p3: number, x: number): number =>
  p1 + 0.5 * x * (p2 - p0 + x * (2 * p0 - 5 * p1 + 4 * p2 - p3 + x * (3 * (p1 - p2) + p3 - p0)));

export interface Repeating {
  /** Everything that went in, the last at the end, for each side. */
  readonly past: readonly [number[], number[]];
  readonly low: [number, number];
  readonly damp: number;
  delay: number;
  feedback: number;
  cross: number;
  wet: number;
  readonly steps: { readonly delay: number; readonly feedback: number; readonly cross: number; readonly wet: number };
}

/** Repeats of two channels, each darker, that feed each other. */
export function repeat(left: Float32Array, right: Float32Array, n: number, e: Repeating): void {
  const flushed = (x: number) => (Math.abs(x) < FLUSH ? 0 : x);
  for (let i = 0; i < n; i++) {
    for (const name of ["delay", "feedback", "cross", "wet"] as const) e[name] += e.steps[name];
    const back = e.delay - 1;
    const whole = Math.floor(back);
    e.past.forEach((past, side) => {
      const at = (k: number) => past.at(-1 - whole + k) ?? 0;
      // Before there is anything newer, a ring holds what is oldest in its place; a delay of less than two frames never reads it.
      e.low[side] = flushed(cubic(at(1), at(0), at(-1), at(-2), back - whole) * (1 - e.damp) + (e.low[side] as number) * e.damp);
    });
    const [a, b] = e.low;
    for (const [side, x, own, other] of [[0, left, a, b], [1, right, b, a]] as const) {
      const input = x[i] as number;
      (e.past[side] as number[]).push(f(flushed(input + e.feedback * (own * (1 - e.cross) + other * e.cross))));
      x[i] = input * (1 - e.wet) + own * e.wet;
    }
  }
}

/** Two channels added to two others at a gain that is multiplied by `keep` from frame to frame; returns what the gain has come to. */
export function addFading(outLeft: Float32Array, outRight: Float32Array, left: Float32Array, right: Float32Array, n: number, gain: number, keep: number): number {
  let g = gain;
  for (let i = 0; i < n; i++) {
    outLeft[i] = (outLeft[i] as number) + (left[i] as number) * g;
    outRight[i] = (outRight[i] as number) + (right[i] as number) * g;
    g *= keep;
  }
  return g;
}

export interface Copying {
  /** Everything that went in, the last at the end, for each side. */
  readonly past: readonly [number[], number[]];
  wet: number;
  readonly wetStep: number;
  /** Two delays a side, in frames before the last that went in. */
  readonly delays: readonly [number[], number[]];
  readonly steps: readonly [number[], number[]];
}

/** Two copies a side at delays of their own, which are at least one frame. */
export function copies(left: Float32Array, right: Float32Array, n: number, c: Copying): void {
  for (let i = 0; i < n; i++) {
    c.wet += c.wetStep;
    for (const [side, x] of [[0, left], [1, right]] as const) {
      const past = c.past[side];
      const input = x[i] as number;
      past.push(input);
      const [a, b] = c.delays[side].map((delay) => {
        const whole = Math.floor(delay);
        const at = (k: number) => past.at(-1 - whole + k) ?? 0;
        return cubic(at(1), at(0), at(-1), at(-2), delay - whole);
      });
      x[i] = input * (1 - c.wet) + 0.6 * c.wet * ((a as number) + (b as number));
      c.delays[side].forEach((delay, k) => { c.delays[side][k] = delay + (c.steps[side][k] as number); });
    }
  }
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

/** What the eight lines of `feedbackNetwork` gave, in two channels, through a first-order high-pass, and with the dry signal. */
export function outOfNetwork(left: Float32Array, right: Float32Array, n: number, outs: Float64Array, l: Leaving): void {
  for (let i = 0; i < n; i++) {
    const [o0 = 0, o1 = 0, o2 = 0, o3 = 0, o4 = 0, o5 = 0, o6 = 0, o7 = 0] = outs.subarray(8 * i, 8 * i + 8);
    const mixed = [0.35 * (o0 - o2 + o4 - o6 + 0.5 * (o1 - o3)), 0.35 * (o1 - o3 + o5 - o7 + 0.5 * (o0 - o2))] as const;
    l.wet += l.wetStep;
    for (const [side, x] of [[0, left], [1, right]] as const) {
      l.y[side] = l.gain * (mixed[side] - l.x[side]) + l.pole * l.y[side];
      l.x[side] = mixed[side];
      x[i] = (x[i] as number) * (1 - l.wet) + l.y[side] * l.wet;
    }
  }
  for (const side of [0, 1] as const) if (Math.abs(l.y[side]) < FLUSH) l.y[side] = 0;
}
