// AssemblyScript: compiled to core/kernels/wasm.gen.ts by `npm run kernels`. Every function works on memory that the
// caller laid out: pointers are byte offsets, samples are f32, states and coefficients f64. Each has a readable twin in
// TypeScript that gives the same bits; operations and their order are the twin's.

/** Below this a filter state becomes zero. */
const FLUSH: f64 = 1e-30;
const QUANTUM: i32 = 64;

// @ts-ignore: decorator
@inline
function alive(state: v128, other: v128): v128 {
  const floor = f64x2.splat(FLUSH);
  return v128.or(f64x2.ge(f64x2.abs(state), floor), f64x2.ge(f64x2.abs(other), floor));
}

/**
 * One second-order section over two channels. k: b0 b1 b2 a1 a2; z: l1 r1 l2 r2, the states of the transposed direct form II. They are used for the first two
 * frames of a quantum only; the others are made of the inputs and outputs before them (direct form I), where each sample waits for one product and one
 * difference of the one before. A section that is flat stays with its states: there it gives its input to the bit. Two frames at a time, left and right side by side.
 */
export function biquad(left: usize, right: usize, frames: i32, k: usize, z: usize): void {
  const b0 = v128.load64_splat(k), b1 = v128.load64_splat(k, 8), b2 = v128.load64_splat(k, 16), a1 = v128.load64_splat(k, 24), a2 = v128.load64_splat(k, 32);
  const flat = load<f64>(k) == 1 && load<f64>(k, 8) == load<f64>(k, 24) && load<f64>(k, 16) == load<f64>(k, 32);
  const first = flat ? QUANTUM : 2;
  let z1 = v128.load(z), z2 = v128.load(z, 16);
  for (let from = 0; from < frames; from += QUANTUM) {
    let x1 = z1, x2 = z1, y1 = z1, y2 = z1;
    let i = from;
    for (; i < from + first; i += 2) {
      const pair = sideBySide(left, right, i);
      x2 = f64x2.promote_low_f32x4(pair);
      y2 = f64x2.add(f64x2.mul(b0, x2), z1);
      z1 = f64x2.sub(f64x2.add(f64x2.mul(b1, x2), z2), f64x2.mul(a1, y2));
      z2 = f64x2.sub(f64x2.mul(b2, x2), f64x2.mul(a2, y2));
      x1 = f64x2.promote_low_f32x4(i64x2.shuffle(pair, pair, 1, 1));
      y1 = f64x2.add(f64x2.mul(b0, x1), z1);
      z1 = f64x2.sub(f64x2.add(f64x2.mul(b1, x1), z2), f64x2.mul(a1, y1));
      z2 = f64x2.sub(f64x2.mul(b2, x1), f64x2.mul(a2, y1));
      apart(left, right, i, y2, y1);
    }
    if (!flat) {
      for (; i < from + QUANTUM; i += 2) {
        const pair = sideBySide(left, right, i);
        const x = f64x2.promote_low_f32x4(pair);
        y2 = f64x2.sub(f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, x), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)), f64x2.mul(a1, y1));
        const next = f64x2.promote_low_f32x4(i64x2.shuffle(pair, pair, 1, 1));
        y1 = f64x2.sub(f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, next), f64x2.mul(b1, x)), f64x2.mul(b2, x1)), f64x2.mul(a2, y1)), f64x2.mul(a1, y2));
        x1 = next;
        x2 = x;
        apart(left, right, i, y2, y1);
      }
      z2 = f64x2.sub(f64x2.mul(b2, x1), f64x2.mul(a2, y1));
      z1 = f64x2.add(f64x2.sub(f64x2.mul(b1, x1), f64x2.mul(a1, y1)), f64x2.sub(f64x2.mul(b2, x2), f64x2.mul(a2, y2)));
    }
    const s = alive(z1, z2);
    z1 = v128.and(z1, s);
    z2 = v128.and(z2, s);
  }
  v128.store(z, z1);
  v128.store(z, z2, 16);
}

/** Two frames of both channels: left, right, left, right. */
// @ts-ignore: decorator
@inline
function sideBySide(left: usize, right: usize, i: i32): v128 {
  const at = <usize>i << 2;
  return i32x4.shuffle(v128.load64_zero(left + at), v128.load64_zero(right + at), 0, 4, 1, 5);
}

// @ts-ignore: decorator
@inline
function apart(left: usize, right: usize, i: i32, first: v128, second: v128): void {
  const at = <usize>i << 2;
  const out = i32x4.shuffle(f32x4.demote_f64x2_zero(first), f32x4.demote_f64x2_zero(second), 0, 4, 1, 5);
  v128.store64_lane(left + at, out, 0);
  v128.store64_lane(right + at, out, 1);
}

/** Largest magnitude in a block of two channels; NaN when any sample is none. frames is a multiple of 4. */
export function blockPeak(left: usize, right: usize, frames: i32): f64 {
  let peak = f32x4.splat(0);
  let poison = f32x4.splat(0);
  for (let at: usize = 0; at < <usize>frames << 2; at += 16) {
    const l = v128.load(left + at);
    const r = v128.load(right + at);
    poison = f32x4.add(poison, f32x4.add(f32x4.sub(l, l), f32x4.sub(r, r)));
    peak = f32x4.pmax(peak, f32x4.pmax(f32x4.abs(l), f32x4.abs(r)));
  }
  const p = max(max(f32x4.extract_lane(peak, 0), f32x4.extract_lane(peak, 1)), max(f32x4.extract_lane(peak, 2), f32x4.extract_lane(peak, 3)));
  const n = f32x4.extract_lane(poison, 0) + f32x4.extract_lane(poison, 1) + f32x4.extract_lane(poison, 2) + f32x4.extract_lane(poison, 3);
  return <f64>p + <f64>n;
}

/** sum = input * gain, or sum += input * gain, in double; frames is a multiple of 4. */
export function addTo(sum: usize, input: usize, gain: f64, first: bool, frames: i32): void {
  const g = f64x2.splat(gain);
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + (<usize>i << 2));
    const at = sum + (<usize>i << 3);
    const low = f64x2.mul(f64x2.promote_low_f32x4(x), g);
    const high = f64x2.mul(f64x2.promote_low_f32x4(i8x16.shuffle(x, x, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15)), g);
    if (first) {
      v128.store(at, low);
      v128.store(at, high, 16);
    } else {
      v128.store(at, f64x2.add(v128.load(at), low));
      v128.store(at, f64x2.add(v128.load(at, 16), high), 16);
    }
  }
}

/** out = sum as f32; adding zero turns -0 into +0. frames is a multiple of 4. */
export function fromSum(out: usize, sum: usize, frames: i32): void {
  const zero = f64x2.splat(0);
  for (let i = 0; i < frames; i += 4) {
    const at = sum + (<usize>i << 3);
    const low = f32x4.demote_f64x2_zero(f64x2.add(v128.load(at), zero));
    const high = f32x4.demote_f64x2_zero(f64x2.add(v128.load(at, 16), zero));
    v128.store(out + (<usize>i << 2), i8x16.shuffle(low, high, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23));
  }
}

/** out = input * gain, computed in double and rounded once; frames is a multiple of 4. */
export function scale(out: usize, input: usize, gain: f64, frames: i32): void {
  const g = f64x2.splat(gain);
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + (<usize>i << 2));
    const low = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(x), g));
    const high = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(i8x16.shuffle(x, x, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15)), g));
    v128.store(out + (<usize>i << 2), i8x16.shuffle(low, high, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23));
  }
}

/** Gives what a ring of `length` samples holds from `head` on and puts the input in its place; `out` may be the input. */
export function hold(out: usize, input: usize, frames: i32, ring: usize, length: i32, head: i32): void {
  let place = head;
  for (let i = 0; i < frames; ) {
    const n = min(frames - i, length - place);
    const from = input + (<usize>i << 2);
    const to = out + (<usize>i << 2);
    const held = ring + (<usize>place << 2);
    let k = 0;
    for (; k + 4 <= n; k += 4) {
      const at = <usize>k << 2;
      const oldest = v128.load(held + at);
      v128.store(held + at, v128.load(from + at));
      v128.store(to + at, oldest);
    }
    for (; k < n; k++) {
      const at = <usize>k << 2;
      const oldest = load<f32>(held + at);
      store<f32>(held + at, load<f32>(from + at));
      store<f32>(to + at, oldest);
    }
    i += n;
    place = place + n == length ? 0 : place + n;
  }
}

/** A gain in a straight line through a quantum of 64 frames, of which `frames` are written from the `place`th on; all counts are whole fours. */
export function glide(out: usize, input: usize, frames: i32, from: f64, change: f64, place: i32): void {
  const start = f64x2.splat(from), whole = f64x2.splat(change), quantum = f64x2.splat(1.0 / 64);
  let k = f64x2.add(f64x2.splat(<f64>place), f64x2(0, 1));
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + (<usize>i << 2));
    const next = f64x2.add(k, f64x2.splat(2));
    const g = f64x2.add(start, f64x2.mul(whole, f64x2.mul(k, quantum)));
    const h = f64x2.add(start, f64x2.mul(whole, f64x2.mul(next, quantum)));
    const low = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(x), g));
    const high = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(i64x2.shuffle(x, x, 1, 0)), h));
    v128.store(out + (<usize>i << 2), i64x2.shuffle(low, high, 0, 2));
    k = f64x2.add(next, f64x2.splat(2));
  }
}

/** Interleaved 24-bit stereo to two channels. A sample's 24 bits stand in the top of 32, so conversion and scaling are exact. */
export function unpack24(bytes: usize, left: usize, right: usize, frames: i32): void {
  const scale = f32x4.splat(1.0 / 2147483648.0);
  const zero = i32x4.splat(0);
  let i = 0;
  // Four frames are 24 bytes; the second load begins at byte 8 and takes the last 12 of its 16, so nothing behind is read.
  for (; i + 4 <= frames; i += 4) {
    const at = bytes + <usize>i * 6;
    const first = v128.load(at);
    const last = v128.load(at, 8);
    const a = f32x4.mul(f32x4.convert_i32x4_s(i8x16.shuffle(zero, first, 0, 16, 17, 18, 0, 19, 20, 21, 0, 22, 23, 24, 0, 25, 26, 27)), scale);
    const b = f32x4.mul(f32x4.convert_i32x4_s(i8x16.shuffle(zero, last, 0, 20, 21, 22, 0, 23, 24, 25, 0, 26, 27, 28, 0, 29, 30, 31)), scale);
    v128.store(left + (<usize>i << 2), i8x16.shuffle(a, b, 0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27));
    v128.store(right + (<usize>i << 2), i8x16.shuffle(a, b, 4, 5, 6, 7, 12, 13, 14, 15, 20, 21, 22, 23, 28, 29, 30, 31));
  }
  for (; i < frames; i++) {
    const at = bytes + <usize>i * 6;
    const l = (<i32>load<u16>(at) << 8) | (<i32>load<u8>(at, 2) << 24);
    const r = (<i32>load<u16>(at, 3) << 8) | (<i32>load<u8>(at, 5) << 24);
    store<f32>(left + (<usize>i << 2), <f32>(<f64>l / 2147483648));
    store<f32>(right + (<usize>i << 2), <f32>(<f64>r / 2147483648));
  }
}

function mix(value: u32): u32 {
  let h = value;
  h = (h ^ (h >> 16)) * 0x85ebca6b;
  h = (h ^ (h >> 13)) * 0xc2b2ae35;
  return h ^ (h >> 16);
}

/** Where the counter of a seed's dither begins, by the upper half of an index. */
function ditherStart(seed: u32, high: u32): u32 {
  return mix(seed + high * 0x85ebca6b);
}

const DITHER_STEP: u32 = 0x9e3779b9;
/** Added to a double and taken off again, it leaves the nearest whole number, the even one of two; the sum's low bits are that number. */
const WHOLE: f64 = 6755399441055744;

/** One sample to a whole number, held at full scale; returns whether it lay beyond. */
function packSample(out: usize, sample: f32, width: i32, dithered: bool, seed: u32, index: u64): i32 {
  const scale: f64 = width == 3 ? 8388608 : 32768;
  const x = <f64>sample * scale;
  let dither: f64 = 0;
  if (dithered) {
    const bits = mix(<u32>index * DITHER_STEP + ditherStart(seed, <u32>(index >> 32)));
    dither = <f64>((bits & 0xffff) + (bits >> 16)) / 65536 - 1;
  }
  const n = <i32>max(-scale, min(scale - 1, x + dither + WHOLE - WHOLE));
  store<u16>(out, <u16>n);
  if (width == 3) store<u8>(out, <u8>(n >> 16), 2);
  return i32(x > scale - 0.5 || x < -scale - 0.5);
}

// @ts-ignore: decorator
@inline
function mix4(value: v128, m1: v128, m2: v128): v128 {
  let h = i32x4.mul(v128.xor(value, i32x4.shr_u(value, 16)), m1);
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 13)), m2);
  return v128.xor(h, i32x4.shr_u(h, 16));
}

// @ts-ignore: decorator
@inline
function whole4(x: v128, dither: v128, wide: v128, whole: v128): v128 {
  const a = f64x2.add(f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(x), wide), f64x2.promote_low_f32x4(dither)), whole);
  const b = f64x2.add(f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(i64x2.shuffle(x, x, 1, 1)), wide), f64x2.promote_low_f32x4(i64x2.shuffle(dither, dither, 1, 1))), whole);
  return i32x4.shuffle(a, b, 0, 2, 4, 6);
}

/** Two channels to interleaved whole numbers of 2 or 3 bytes, dithered from (seed, absolute frame). Returns how many samples were held at full scale. */
export function pack(bytes: usize, left: usize, right: usize, frames: i32, channels: i32, width: i32, dithered: bool, seed: u32, start: f64): i32 {
  let clipped = 0;
  let out = bytes;
  let i = 0;
  const base = <u64>start * 2;
  // Four stereo frames at a time, as long as their numbers share the upper half of the counter.
  if (channels == 2 && <u32>(base >> 32) == <u32>((base + <u64>frames * 2) >> 32)) {
    // Always 0, which the compiler does not know: what depends on it stays in a register, where a constant is built anew at each use.
    const nothing = channels - 2;
    const m1 = i32x4.splat(nothing + 0x85ebca6b), m2 = i32x4.splat(nothing + 0xc2b2ae35), low16 = i32x4.splat(nothing + 0xffff);
    const step = i32x4.splat(nothing + <i32>(DITHER_STEP * 4));
    const nearFull = f32x4.splat(<f32>nothing + 0.99), fine = f32x4.splat(<f32>nothing + (dithered ? <f32>(1.0 / 65536.0) : <f32>0)), one = f32x4.splat(<f32>nothing + (dithered ? <f32>1 : <f32>0));
    const whole = f64x2.splat(<f64>nothing + WHOLE), wide = f64x2.splat(width == 3 ? 8388608 : 32768);
    const together = width == 3 ? i8x16(0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1) : i8x16(0, 1, 4, 5, 8, 9, 12, 13, -1, -1, -1, -1, -1, -1, -1, -1);
    let counter = i32x4.add(i32x4.splat(<i32>(<u32>base * DITHER_STEP + ditherStart(seed, <u32>(base >> 32)))), i32x4(0, DITHER_STEP, DITHER_STEP * 2, DITHER_STEP * 3));
    const size = <usize>width << 2;
    for (; i + 4 <= frames; i += 4) {
      const at = <usize>i << 2;
      const l = v128.load(left + at), r = v128.load(right + at);
      const here = counter, there = i32x4.add(counter, step);
      counter = i32x4.add(there, step);
      if (v128.any_true(f32x4.ge(f32x4.pmax(f32x4.abs(l), f32x4.abs(r)), nearFull))) {
        const number = base + <u64>i * 2;
        for (let k = 0; k < 8; k++) {
          clipped += packSample(out, load<f32>((k & 1 ? right : left) + at + (<usize>(k >> 1) << 2)), width, dithered, seed, number + <u64>k);
          out += width;
        }
        continue;
      }
      // A sum of two halves has 17 bits: exact in single precision. Left and right of one frame, then of the next.
      const a = mix4(here, m1, m2), b = mix4(there, m1, m2);
      const ditherA = f32x4.sub(f32x4.mul(f32x4.convert_i32x4_s(i32x4.add(v128.and(a, low16), i32x4.shr_u(a, 16))), fine), one);
      const ditherB = f32x4.sub(f32x4.mul(f32x4.convert_i32x4_s(i32x4.add(v128.and(b, low16), i32x4.shr_u(b, 16))), fine), one);
      const n = i8x16.swizzle(whole4(i32x4.shuffle(l, r, 0, 4, 1, 5), ditherA, wide, whole), together);
      const m = i8x16.swizzle(whole4(i32x4.shuffle(l, r, 2, 6, 3, 7), ditherB, wide, whole), together);
      // Twelve bytes or eight; those behind them are overwritten by the next, or lie in the slack the caller keeps.
      if (width == 3) {
        v128.store(out, n);
        v128.store(out + 12, m);
      } else v128.store(out, i64x2.shuffle(n, m, 0, 2));
      out += size << 1;
    }
  }
  for (; i < frames; i++) {
    for (let c = 0; c < channels; c++) {
      clipped += packSample(out, load<f32>((c == 0 ? left : right) + (<usize>i << 2)), width, dithered, seed, (<u64>start + <u64>i) * 2 + <u64>c);
      out += width;
    }
  }
  return clipped;
}

const TAPS: i32 = 24;

// @ts-ignore: decorator
@inline
function loudest4(x: v128): f32 {
  return max(max(f32x4.extract_lane(x, 0), f32x4.extract_lane(x, 1)), max(f32x4.extract_lane(x, 2), f32x4.extract_lane(x, 3)));
}

// @ts-ignore: decorator
@inline
function loudestOf8(at: usize): v128 {
  return f32x4.pmax(f32x4.abs(v128.load(at)), f32x4.abs(v128.load(at, 16)));
}

/**
 * `known`, or the largest magnitude of three interpolated points after every sample where that is larger: x holds TAPS - 1 samples before the first
 * of n, and one more behind them that is never used for a point. The first and the last of three points mirror each other, and the middle one mirrors
 * itself; kernels: half a row each, from the outside in, of what the first and the last have in common, of what divides them, and of the middle.
 * No point exceeds the largest sample in its reach times `worst`. Eight samples at a time, and none where those in their reach are too small to matter.
 */
export function interpolatedPeak(x: usize, n: i32, kernels: usize, known: f32, worst: f32): f32 {
  let peak = known;
  let i = 0;
  let m0 = loudestOf8(x), m1 = loudestOf8(x + 32), m2 = loudestOf8(x + 64);
  for (; i + 8 <= n; i += 8) {
    const at = x + (<usize>i << 2);
    const m3 = loudestOf8(at + 96);
    const reach = f32x4.pmax(f32x4.pmax(m0, m1), f32x4.pmax(m2, m3));
    m0 = m1;
    m1 = m2;
    m2 = m3;
    if (!v128.any_true(f32x4.gt(f32x4.mul(reach, f32x4.splat(worst)), f32x4.splat(peak)))) continue;
    let a = f32x4.splat(0), b = f32x4.splat(0), c = f32x4.splat(0), d = f32x4.splat(0), e = f32x4.splat(0), f = f32x4.splat(0);
    let from = at;
    let back = at + ((TAPS - 1) << 2);
    for (let row = kernels; row < kernels + 48; row += 4) {
      const p = v128.load32_splat(row), q = v128.load32_splat(row, 48), r = v128.load32_splat(row, 96);
      const v = v128.load(from), w = v128.load(back);
      const sum = f32x4.add(v, w);
      a = f32x4.add(a, f32x4.mul(p, sum));
      b = f32x4.add(b, f32x4.mul(q, f32x4.sub(v, w)));
      c = f32x4.add(c, f32x4.mul(r, sum));
      const v2 = v128.load(from, 16), w2 = v128.load(back, 16);
      const sum2 = f32x4.add(v2, w2);
      d = f32x4.add(d, f32x4.mul(p, sum2));
      e = f32x4.add(e, f32x4.mul(q, f32x4.sub(v2, w2)));
      f = f32x4.add(f, f32x4.mul(r, sum2));
      from += 4;
      back -= 4;
    }
    // Of a sum and a difference the larger magnitude is the sum of both magnitudes.
    peak = max(peak, loudest4(f32x4.pmax(f32x4.pmax(f32x4.add(f32x4.abs(a), f32x4.abs(b)), f32x4.abs(c)), f32x4.pmax(f32x4.add(f32x4.abs(d), f32x4.abs(e)), f32x4.abs(f)))));
  }
  for (; i < n; i++) {
    const at = x + (<usize>i << 2);
    let common: f32 = 0, apart: f32 = 0, middle: f32 = 0;
    for (let k: usize = 0; k < 48; k += 4) {
      const v = load<f32>(at + k), w = load<f32>(at + ((TAPS - 1) << 2) - k);
      common += load<f32>(kernels + k) * (v + w);
      apart += load<f32>(kernels + k, 48) * (v - w);
      middle += load<f32>(kernels + k, 96) * (v + w);
    }
    peak = max(peak, max(abs<f32>(common) + abs<f32>(apart), abs<f32>(middle)));
  }
  return peak;
}

/** Lowest and highest sample of two channels and zero, into two floats. */
export function range(left: usize, right: usize, n: i32, out: usize): void {
  let low = f32x4.splat(0);
  let high = f32x4.splat(0);
  let i = 0;
  for (; i + 4 <= n; i += 4) {
    const l = v128.load(left + (<usize>i << 2));
    const r = v128.load(right + (<usize>i << 2));
    low = f32x4.pmin(low, f32x4.pmin(l, r));
    high = f32x4.pmax(high, f32x4.pmax(l, r));
  }
  let bottom = min(min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)), min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3)));
  let top = max(max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)), max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3)));
  for (; i < n; i++) {
    const l = load<f32>(left + (<usize>i << 2));
    const r = load<f32>(right + (<usize>i << 2));
    bottom = min(bottom, min(l, r));
    top = max(top, max(l, r));
  }
  store<f32>(out, bottom);
  store<f32>(out, top, 4);
}

/** `range` of one piece after the other, each so many samples, the last maybe fewer; two f32 each in out. */
export function ranges(left: usize, right: usize, n: i32, piece: i32, out: usize): void {
  let at = out;
  for (let i = 0; i < n; i += piece) {
    range(left + (<usize>i << 2), right + (<usize>i << 2), min(piece, n - i), at);
    at += 8;
  }
}

/** Whether two channels are the same to the last bit. */
export function equal(left: usize, right: usize, n: i32): bool {
  let i = 0;
  for (; i + 4 <= n; i += 4) {
    if (v128.any_true(v128.xor(v128.load(left + (<usize>i << 2)), v128.load(right + (<usize>i << 2))))) return false;
  }
  for (; i < n; i++) if (load<u32>(left + (<usize>i << 2)) != load<u32>(right + (<usize>i << 2))) return false;
  return true;
}

/** Sum of squares of two K-weighted channels, added at the end. k: b0 b1 b2 a1 a2 c1 c2; z: x1 x2 y1 y2 z1 z2, left and right of each. */
export function kWeightedEnergy(left: usize, right: usize, n: i32, k: usize, z: usize): f64 {
  const b0 = v128.load64_splat(k), b1 = v128.load64_splat(k, 8), b2 = v128.load64_splat(k, 16), a1 = v128.load64_splat(k, 24);
  const a2 = v128.load64_splat(k, 32), c1 = v128.load64_splat(k, 40), c2 = v128.load64_splat(k, 48), two = f64x2.splat(2);
  let x1 = v128.load(z), x2 = v128.load(z, 16), y1 = v128.load(z, 32), y2 = v128.load(z, 48), z1 = v128.load(z, 64), z2 = v128.load(z, 80);
  let sum = f64x2.splat(0);
  let i = 0;
  // What has just become known comes last: each sample waits for one product and one difference of the one before.
  for (; i + 2 <= n; i += 2) {
    const at = <usize>i << 2;
    const pair = i32x4.shuffle(v128.load64_zero(left + at), v128.load64_zero(right + at), 0, 4, 1, 5);
    const in1 = f64x2.promote_low_f32x4(pair);
    const ya = f64x2.sub(f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, in1), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)), f64x2.mul(a1, y1));
    const wa = f64x2.sub(f64x2.sub(f64x2.add(f64x2.sub(ya, f64x2.mul(two, y1)), y2), f64x2.mul(c2, z2)), f64x2.mul(c1, z1));
    sum = f64x2.add(sum, f64x2.mul(wa, wa));
    const in2 = f64x2.promote_low_f32x4(i64x2.shuffle(pair, pair, 1, 1));
    const yb = f64x2.sub(f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, in2), f64x2.mul(b1, in1)), f64x2.mul(b2, x1)), f64x2.mul(a2, y1)), f64x2.mul(a1, ya));
    const wb = f64x2.sub(f64x2.sub(f64x2.add(f64x2.sub(yb, f64x2.mul(two, ya)), y1), f64x2.mul(c2, z1)), f64x2.mul(c1, wa));
    sum = f64x2.add(sum, f64x2.mul(wb, wb));
    x2 = in1;
    x1 = in2;
    y2 = ya;
    y1 = yb;
    z2 = wa;
    z1 = wb;
  }
  if (i < n) {
    const at = <usize>i << 2;
    const input = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
    const y = f64x2.sub(f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, input), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)), f64x2.mul(a1, y1));
    const w = f64x2.sub(f64x2.sub(f64x2.add(f64x2.sub(y, f64x2.mul(two, y1)), y2), f64x2.mul(c2, z2)), f64x2.mul(c1, z1));
    x2 = x1;
    x1 = input;
    y2 = y1;
    y1 = y;
    z2 = z1;
    z1 = w;
    sum = f64x2.add(sum, f64x2.mul(w, w));
  }
  const ys = alive(y1, y1);
  const zs = alive(z1, z1);
  v128.store(z, x1);
  v128.store(z, x2, 16);
  v128.store(z, v128.and(y1, ys), 32);
  v128.store(z, v128.and(y2, ys), 48);
  v128.store(z, v128.and(z1, zs), 64);
  v128.store(z, v128.and(z2, zs), 80);
  return f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1);
}

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, for four numbers at once. */
// @ts-ignore: decorator
@inline
function saturate4(value: v128): v128 {
  const x = f32x4.pmax(f32x4.splat(-3), f32x4.pmin(f32x4.splat(3), value));
  const z = f32x4.mul(x, x);
  return f32x4.div(f32x4.mul(x, f32x4.add(f32x4.splat(27), z)), f32x4.add(f32x4.splat(27), f32x4.mul(f32x4.splat(9), z)));
}

/** Band-limited saw at four phases of -1 to 1: within a step of the jump at either end it is rounded off by a parabola. */
// @ts-ignore: decorator
@inline
function saw4(phase: v128, reach: v128, one: v128, part: v128, sign: v128, zero: v128): v128 {
  const y = f32x4.mul(f32x4.convert_i32x4_s(phase), part);
  const size = v128.andnot(y, sign);
  const near = f32x4.pmax(zero, f32x4.sub(one, f32x4.mul(f32x4.sub(one, size), reach)));
  return f32x4.sub(y, v128.or(f32x4.mul(near, near), v128.and(y, sign)));
}

// @ts-ignore: decorator
@inline
function triangle4(phase: v128, level: v128): v128 {
  return f32x4.mul(f32x4.sub(f32x4.abs(f32x4.mul(f32x4.convert_i32x4_s(phase), f32x4.splat(1.0 / 1073741824.0))), f32x4.splat(1)), level);
}

/** Left and right of four steps, driven, side by side as the filter takes them. */
// @ts-ignore: decorator
@inline
function driven4(out: usize, left: v128, right: v128, loud: v128): void {
  const l = saturate4(f32x4.mul(left, loud));
  const r = saturate4(f32x4.mul(right, loud));
  v128.store(out, i32x4.shuffle(l, r, 0, 4, 1, 5));
  v128.store(out, i32x4.shuffle(l, r, 2, 6, 3, 7), 16);
}

/**
 * One voice of the synthesiser, added to two channels. First its oscillators, driven, for all steps, eight at once where there are eight; then the
 * filter, which is the trapezoidal state-variable low-pass written as a matrix: s1' = a s1 + p (x - s2), s2' = s2 + p s1 + q (x - s2), out = (s2 + s2') / 2.
 * oscillators: 32 bytes each: once, twice, three and four times its phase step (i32), phase (i32), reach (f32, half a cycle over a step), gains left and right (f32).
 * voice, f64: 0 level, 1 its change a step; 2, 3 a; 4, 5 p; 6, 7 q; 8, 9 half the output gain; 10-13 filter states l1 r1 l2 r2;
 * at byte 112 the sub oscillator's four multiples of its step and its phase (i32). scratch: 8 bytes a step and 24 more.
 * `unit` is 1 and `top` the top bit: what comes as an argument stays in a register, where a constant is built anew at each use.
 */
export function synthVoice(left: usize, right: usize, steps: i32, count: i32, oscillators: usize, voice: usize, scratch: usize, pulse: f32, sub: f32, unit: f32, top: i32): void {
  const one = f32x4.splat(unit);
  const part = f32x4.splat(unit / 2147483648.0);
  const sign = i32x4.splat(top);
  const zero = f32x4.sub(one, one);
  const end = oscillators + (<usize>count << 5);
  const levelStep = load<f64>(voice, 8);
  const pulses = f32x4.splat(pulse);
  const subs = f32x4.splat(sub);
  const rise = f32x4.mul(f32x4.splat(<f32>levelStep), f32x4(1, 2, 3, 4));
  let level = load<f64>(voice);
  let s = 0;
  for (; s + 8 <= steps; s += 8) {
    let left0 = zero, right0 = zero, left1 = zero, right1 = zero;
    for (let o = oscillators; o < end; o += 32) {
      const four = v128.load32_splat(o, 12);
      const phase0 = i32x4.add(v128.load32_splat(o, 16), v128.load(o));
      const phase1 = i32x4.add(phase0, four);
      v128.store32_lane(o, phase1, 3, 16);
      const reach = v128.load32_splat(o, 20);
      let y0 = saw4(phase0, reach, one, part, sign, zero);
      let y1 = saw4(phase1, reach, one, part, sign, zero);
      if (pulse > 0) {
        y0 = f32x4.sub(y0, f32x4.mul(pulses, saw4(v128.xor(phase0, sign), reach, one, part, sign, zero)));
        y1 = f32x4.sub(y1, f32x4.mul(pulses, saw4(v128.xor(phase1, sign), reach, one, part, sign, zero)));
      }
      const gl = v128.load32_splat(o, 24), gr = v128.load32_splat(o, 28);
      left0 = f32x4.add(left0, f32x4.mul(y0, gl));
      right0 = f32x4.add(right0, f32x4.mul(y0, gr));
      left1 = f32x4.add(left1, f32x4.mul(y1, gl));
      right1 = f32x4.add(right1, f32x4.mul(y1, gr));
    }
    if (sub > 0) {
      const phase0 = i32x4.add(v128.load32_splat(voice, 128), v128.load(voice, 112));
      const phase1 = i32x4.add(phase0, v128.load32_splat(voice, 124));
      v128.store32_lane(voice, phase1, 3, 128);
      const t0 = triangle4(phase0, subs), t1 = triangle4(phase1, subs);
      left0 = f32x4.add(left0, t0);
      right0 = f32x4.add(right0, t0);
      left1 = f32x4.add(left1, t1);
      right1 = f32x4.add(right1, t1);
    }
    const out = scratch + (<usize>s << 3);
    driven4(out, left0, right0, f32x4.add(f32x4.splat(<f32>level), rise));
    level += levelStep * 4;
    driven4(out + 32, left1, right1, f32x4.add(f32x4.splat(<f32>level), rise));
    level += levelStep * 4;
  }
  for (; s < steps; s += 4) {
    const n = min(4, steps - s);
    const last = (<usize>(n - 1)) << 2;
    let sumLeft = zero;
    let sumRight = zero;
    for (let o = oscillators; o < end; o += 32) {
      const base = load<i32>(o, 16);
      const phase = i32x4.add(i32x4.splat(base), v128.load(o));
      store<i32>(o, base + load<i32>(o + last), 16);
      const reach = v128.load32_splat(o, 20);
      let y = saw4(phase, reach, one, part, sign, zero);
      if (pulse > 0) y = f32x4.sub(y, f32x4.mul(pulses, saw4(v128.xor(phase, sign), reach, one, part, sign, zero)));
      sumLeft = f32x4.add(sumLeft, f32x4.mul(y, v128.load32_splat(o, 24)));
      sumRight = f32x4.add(sumRight, f32x4.mul(y, v128.load32_splat(o, 28)));
    }
    if (sub > 0) {
      const base = load<i32>(voice, 128);
      const triangle = triangle4(i32x4.add(i32x4.splat(base), v128.load(voice, 112)), subs);
      store<i32>(voice, base + load<i32>(voice + last, 112), 128);
      sumLeft = f32x4.add(sumLeft, triangle);
      sumRight = f32x4.add(sumRight, triangle);
    }
    driven4(scratch + (<usize>s << 3), sumLeft, sumRight, f32x4.add(f32x4.splat(<f32>level), rise));
    level += levelStep * <f64>n;
  }
  store<f64>(voice, level);
  throughFilter(left, right, steps, voice, scratch);
}

/** The second half of a synthesiser's voice: everything in a straight line from step to step but the states. */
function throughFilter(left: usize, right: usize, steps: i32, voice: usize, scratch: usize): void {
  let a = v128.load64_splat(voice, 16), p = v128.load64_splat(voice, 32), q = v128.load64_splat(voice, 48), post = v128.load64_splat(voice, 64);
  const aStep = v128.load64_splat(voice, 24), pStep = v128.load64_splat(voice, 40), qStep = v128.load64_splat(voice, 56), postStep = v128.load64_splat(voice, 72);
  let s1 = v128.load(voice, 80);
  let s2 = v128.load(voice, 96);
  let x: v128, before: v128;
  let s = 0;
  for (; s + 4 <= steps; s += 4) {
    const at = <usize>s << 2;
    const ins = scratch + (at << 1);
    a = f64x2.add(a, aStep);
    p = f64x2.add(p, pStep);
    q = f64x2.add(q, qStep);
    post = f64x2.add(post, postStep);
    x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(ins, 0)), s2);
    before = s2;
    s2 = f64x2.add(f64x2.add(s2, f64x2.mul(p, s1)), f64x2.mul(q, x));
    s1 = f64x2.add(f64x2.mul(a, s1), f64x2.mul(p, x));
    const y0 = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), post));
    a = f64x2.add(a, aStep);
    p = f64x2.add(p, pStep);
    q = f64x2.add(q, qStep);
    post = f64x2.add(post, postStep);
    x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(ins, 8)), s2);
    before = s2;
    s2 = f64x2.add(f64x2.add(s2, f64x2.mul(p, s1)), f64x2.mul(q, x));
    s1 = f64x2.add(f64x2.mul(a, s1), f64x2.mul(p, x));
    const y1 = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), post));
    a = f64x2.add(a, aStep);
    p = f64x2.add(p, pStep);
    q = f64x2.add(q, qStep);
    post = f64x2.add(post, postStep);
    x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(ins, 16)), s2);
    before = s2;
    s2 = f64x2.add(f64x2.add(s2, f64x2.mul(p, s1)), f64x2.mul(q, x));
    s1 = f64x2.add(f64x2.mul(a, s1), f64x2.mul(p, x));
    const y2 = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), post));
    a = f64x2.add(a, aStep);
    p = f64x2.add(p, pStep);
    q = f64x2.add(q, qStep);
    post = f64x2.add(post, postStep);
    x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(ins, 24)), s2);
    before = s2;
    s2 = f64x2.add(f64x2.add(s2, f64x2.mul(p, s1)), f64x2.mul(q, x));
    s1 = f64x2.add(f64x2.mul(a, s1), f64x2.mul(p, x));
    const y3 = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), post));
    const near = i32x4.shuffle(y0, y1, 0, 4, 1, 5), far = i32x4.shuffle(y2, y3, 0, 4, 1, 5);
    v128.store(left + at, f32x4.add(v128.load(left + at), i64x2.shuffle(near, far, 0, 2)));
    v128.store(right + at, f32x4.add(v128.load(right + at), i64x2.shuffle(near, far, 1, 3)));
  }
  for (; s < steps; s++) {
    const at = <usize>s << 2;
    a = f64x2.add(a, aStep);
    p = f64x2.add(p, pStep);
    q = f64x2.add(q, qStep);
    post = f64x2.add(post, postStep);
    x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(scratch + (at << 1))), s2);
    before = s2;
    s2 = f64x2.add(f64x2.add(s2, f64x2.mul(p, s1)), f64x2.mul(q, x));
    s1 = f64x2.add(f64x2.mul(a, s1), f64x2.mul(p, x));
    const y0 = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), post));
    store<f32>(left + at, load<f32>(left + at) + f32x4.extract_lane(y0, 0));
    store<f32>(right + at, load<f32>(right + at) + f32x4.extract_lane(y0, 1));
  }
  v128.store64_lane(voice, a, 0, 16);
  v128.store64_lane(voice, p, 0, 32);
  v128.store64_lane(voice, q, 0, 48);
  v128.store64_lane(voice, post, 0, 64);
  v128.store(voice, s1, 80);
  v128.store(voice, s2, 96);
}

// @ts-ignore: decorator
@inline
function summed(x: v128): f32 {
  return f32x4.extract_lane(x, 0) + f32x4.extract_lane(x, 1) + (f32x4.extract_lane(x, 2) + f32x4.extract_lane(x, 3));
}

/** out[i] += the sum of `taps` inputs from i * over on, weighted; frames and taps are multiples of 4. Four at a time: each alone would wait for its own sums. */
export function decimate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  const next = <usize>over << 2;
  const end = <usize>taps << 2;
  for (let i = 0; i < frames; i += 4) {
    const x = input + (<usize>(i * over) << 2);
    let a = f32x4.splat(0), b = f32x4.splat(0), c = f32x4.splat(0), d = f32x4.splat(0);
    for (let k: usize = 0; k < end; k += 16) {
      const h = v128.load(kernel + k);
      const at = x + k;
      a = f32x4.add(a, f32x4.mul(v128.load(at), h));
      b = f32x4.add(b, f32x4.mul(v128.load(at + next), h));
      c = f32x4.add(c, f32x4.mul(v128.load(at + 2 * next), h));
      d = f32x4.add(d, f32x4.mul(v128.load(at + 3 * next), h));
    }
    const at = out + (<usize>i << 2);
    store<f32>(at, load<f32>(at) + summed(a));
    store<f32>(at, load<f32>(at, 4) + summed(b), 4);
    store<f32>(at, load<f32>(at, 8) + summed(c), 8);
    store<f32>(at, load<f32>(at, 12) + summed(d), 12);
  }
}

/** out[i * over + p] = the sum of `taps` inputs from i on, weighted by row p of the kernel; frames and taps are multiples of 4. Four frames at a time. */
export function interpolate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  const next = <usize>over << 2;
  const end = <usize>taps << 2;
  for (let i = 0; i < frames; i += 4) {
    const x = input + (<usize>i << 2);
    for (let p = 0; p < over; p++) {
      const row = kernel + (<usize>(p * taps) << 2);
      let a = f32x4.splat(0), b = f32x4.splat(0), c = f32x4.splat(0), d = f32x4.splat(0);
      for (let k: usize = 0; k < end; k += 16) {
        const h = v128.load(row + k);
        const at = x + k;
        a = f32x4.add(a, f32x4.mul(v128.load(at), h));
        b = f32x4.add(b, f32x4.mul(v128.load(at, 4), h));
        c = f32x4.add(c, f32x4.mul(v128.load(at, 8), h));
        d = f32x4.add(d, f32x4.mul(v128.load(at, 12), h));
      }
      const at = out + (<usize>(i * over + p) << 2);
      store<f32>(at, summed(a));
      store<f32>(at + next, summed(b));
      store<f32>(at + 2 * next, summed(c));
      store<f32>(at + 3 * next, summed(d));
    }
  }
}

/** y += x * h for complex numbers kept as two rows each; n is a multiple of 2. */
export function multiplyAdd(yr: usize, yi: usize, xr: usize, xi: usize, hr: usize, hi: usize, n: i32): void {
  for (let at: usize = 0; at < <usize>n << 3; at += 16) {
    const a = v128.load(xr + at), b = v128.load(xi + at), c = v128.load(hr + at), d = v128.load(hi + at);
    v128.store(yr + at, f64x2.add(v128.load(yr + at), f64x2.sub(f64x2.mul(a, c), f64x2.mul(b, d))));
    v128.store(yi + at, f64x2.add(v128.load(yi + at), f64x2.add(f64x2.mul(a, d), f64x2.mul(b, c))));
  }
}

/** x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample; n is a multiple of 4. */
export function drive(x: usize, n: i32, gain: f32, gainStep: f32, bias: f32, biasStep: f32): void {
  const ramp = f32x4(1, 2, 3, 4);
  for (let i = 0; i < n; i += 4) {
    const at = x + (<usize>i << 2);
    const along = f32x4.add(f32x4.splat(<f32>i), ramp);
    const g = f32x4.add(f32x4.splat(gain), f32x4.mul(f32x4.splat(gainStep), along));
    const b = f32x4.add(f32x4.splat(bias), f32x4.mul(f32x4.splat(biasStep), along));
    v128.store(at, f32x4.sub(saturate4(f32x4.add(f32x4.mul(g, v128.load(at)), b)), saturate4(b)));
  }
}

/**
 * A recording read at `step` frames a frame from position `position` of x on: 32 taps from the two rows nearest to each position.
 * table: phases + 1 rows. The first tap of a position lies 15 frames before it; x begins `first` frames into the recording.
 */
export function readBetween(out: usize, x: usize, n: i32, position: f64, step: f64, first: f64, table: usize, phases: f64): void {
  for (let i = 0; i < n; i++) {
    const at = position + <f64>i * step;
    const whole = floor(at);
    const phase = (at - whole) * phases;
    const row = table + (<usize>(<i32>floor(phase)) << 7);
    const part = f32x4.splat(<f32>(phase - floor(phase)));
    const from = x + (<usize>(<i32>(whole - 15 - first)) << 2);
    let sum = f32x4.splat(0);
    for (let k: usize = 0; k < 128; k += 16) {
      const a = v128.load(row + k);
      sum = f32x4.add(sum, f32x4.mul(f32x4.add(a, f32x4.mul(part, f32x4.sub(v128.load(row + k, 128), a))), v128.load(from + k)));
    }
    store<f32>(out + (<usize>i << 2), f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + (f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3)));
  }
}

/**
 * Six decaying modes as two-pole resonators, added to two channels. modes, f64: six each of c1, c2, last and last but one output; gains: left and right.
 */
export function resonate(left: usize, right: usize, n: i32, modes: usize, gainLeft: f64, gainRight: f64): void {
  const p0 = v128.load(modes), p1 = v128.load(modes, 16), p2 = v128.load(modes, 32);
  const q0 = v128.load(modes, 48), q1 = v128.load(modes, 64), q2 = v128.load(modes, 80);
  let a0 = v128.load(modes, 96), a1 = v128.load(modes, 112), a2 = v128.load(modes, 128);
  let b0 = v128.load(modes, 144), b1 = v128.load(modes, 160), b2 = v128.load(modes, 176);
  for (let i = 0; i < n; i++) {
    const y0 = f64x2.add(f64x2.mul(p0, a0), f64x2.mul(q0, b0));
    const y1 = f64x2.add(f64x2.mul(p1, a1), f64x2.mul(q1, b1));
    const y2 = f64x2.add(f64x2.mul(p2, a2), f64x2.mul(q2, b2));
    b0 = a0;
    b1 = a1;
    b2 = a2;
    a0 = y0;
    a1 = y1;
    a2 = y2;
    const pair = f64x2.add(f64x2.add(y0, y1), y2);
    const sum = f64x2.extract_lane(pair, 0) + f64x2.extract_lane(pair, 1);
    const at = <usize>i << 2;
    store<f32>(left + at, load<f32>(left + at) + <f32>(sum * gainLeft));
    store<f32>(right + at, load<f32>(right + at) + <f32>(sum * gainRight));
  }
  v128.store(modes, a0, 96);
  v128.store(modes, a1, 112);
  v128.store(modes, a2, 128);
  v128.store(modes, b0, 144);
  v128.store(modes, b1, 160);
  v128.store(modes, b2, 176);
}

// @ts-ignore: decorator
@inline
function flush2(x: v128): v128 {
  return v128.and(x, f64x2.ge(f64x2.abs(x), f64x2.splat(FLUSH)));
}

/**
 * Eight delay lines that feed each other through a Householder matrix, each damped and weakened, left in front of the even ones and right of the
 * odd ones; what they give stands in out, eight numbers a frame. ring, f64; heads, starts, ends: i32, places in it; lines, f64: eight each of gains,
 * their changes a frame, and low-pass states. Returns how many frames at the end were silent inside and in front.
 */
export function feedbackNetwork(left: usize, right: usize, n: i32, out: usize, ring: usize, heads: usize, starts: usize, ends: usize, lines: usize, damp: f64, dampStep: f64): i32 {
  let silent = 0;
  let d = damp;
  for (let i = 0; i < n; i++) {
    d += dampStep;
    const l = <f64>load<f32>(left + (<usize>i << 2));
    const r = <f64>load<f32>(right + (<usize>i << 2));
    const into = f64x2.replace_lane(f64x2.splat(l), 1, r);
    const keep = f64x2.splat(d);
    const pass = f64x2.splat(1 - d);
    const frame = out + (<usize>i << 6);
    let sum = f64x2.splat(0);
    for (let k: usize = 0; k < 64; k += 16) {
      const gain = f64x2.add(v128.load(lines + k), v128.load(lines + k, 64));
      v128.store(lines + k, gain);
      const h = heads + (k >> 1);
      const x = f64x2.replace_lane(f64x2.splat(load<f64>(ring + (<usize>load<i32>(h) << 3))), 1, load<f64>(ring + (<usize>load<i32>(h, 4) << 3)));
      const low = flush2(f64x2.add(f64x2.mul(pass, x), f64x2.mul(keep, v128.load(lines + k, 128))));
      v128.store(lines + k, low, 128);
      const y = f64x2.mul(low, gain);
      v128.store(frame + k, y);
      sum = f64x2.add(sum, y);
    }
    const fed = f64x2.splat((f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)) * 0.25);
    let awake = v128.or(into, into);
    for (let k: usize = 0; k < 64; k += 16) {
      const value = flush2(f64x2.add(f64x2.sub(v128.load(frame + k), fed), into));
      awake = v128.or(awake, value);
      for (let lane: usize = 0; lane < 2; lane++) {
        const at = (k >> 1) + (lane << 2);
        const head = load<i32>(heads + at);
        store<f64>(ring + (<usize>head << 3), lane == 0 ? f64x2.extract_lane(value, 0) : f64x2.extract_lane(value, 1));
        const next = head + 1;
        store<i32>(heads + at, next == load<i32>(ends + at) ? load<i32>(starts + at) : next);
      }
    }
    silent = v128.any_true(f64x2.ne(awake, f64x2.splat(0))) ? 0 : silent + 1;
  }
  return silent;
}

/** out = the louder channel's magnitude, in double; n is a multiple of 2. */
export function louder(out: usize, left: usize, right: usize, n: i32): void {
  for (let i = 0; i < n; i += 2) {
    const at = <usize>i << 2;
    const loud = f32x4.pmax(f32x4.abs(v128.load64_zero(left + at)), f32x4.abs(v128.load64_zero(right + at)));
    v128.store(out + (<usize>i << 3), f64x2.promote_low_f32x4(loud));
  }
}

/** Natural logarithm of two normal numbers above 0: `log` of core/math.ts. */
// @ts-ignore: decorator
@inline
function logPair(x: v128): v128 {
  const mantissa = v128.or(v128.and(x, i64x2.splat(0xfffffffffffff)), i64x2.splat(0x3ff0000000000000));
  // An exponent in the low bits of 2^52, taken as a number, is 2^52 more than itself.
  const plain = f64x2.sub(f64x2.sub(v128.or(i64x2.shr_u(x, 52), i64x2.splat(0x4330000000000000)), f64x2.splat(4503599627370496)), f64x2.splat(1023));
  const large = f64x2.ge(mantissa, f64x2.splat(1.4142135623730951));
  const m = v128.bitselect(f64x2.mul(mantissa, f64x2.splat(0.5)), mantissa, large);
  const exponent = f64x2.add(plain, v128.and(large, f64x2.splat(1)));
  const one = f64x2.splat(1);
  const s = f64x2.div(f64x2.sub(m, one), f64x2.add(m, one));
  const z = f64x2.mul(s, s);
  let sum = f64x2.splat(0.043478260869565216);
  sum = f64x2.add(f64x2.splat(0.047619047619047616), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.05263157894736842), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.058823529411764705), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.06666666666666667), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.07692307692307693), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.09090909090909091), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.1111111111111111), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.14285714285714285), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.2), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.3333333333333333), f64x2.mul(z, sum));
  sum = f64x2.add(one, f64x2.mul(z, sum));
  return f64x2.add(
    f64x2.mul(exponent, f64x2.splat(6.93147180369123816490e-1)),
    f64x2.add(f64x2.mul(f64x2.mul(f64x2.splat(2), s), sum), f64x2.mul(exponent, f64x2.splat(1.90821492927058770002e-10))),
  );
}

/** e to the power of two numbers between -700 and 700: `exp` of core/math.ts. */
// @ts-ignore: decorator
@inline
function expPair(x: v128): v128 {
  const k = f64x2.floor(f64x2.add(f64x2.mul(x, f64x2.splat(1.44269504088896338700)), f64x2.splat(0.5)));
  const r = f64x2.sub(f64x2.sub(x, f64x2.mul(k, f64x2.splat(6.93147180369123816490e-1))), f64x2.mul(k, f64x2.splat(1.90821492927058770002e-10)));
  const q = f64x2.mul(r, r);
  let even = f64x2.splat(2.08767569878681e-9);
  even = f64x2.add(f64x2.splat(2.755731922398589e-7), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(2.48015873015873e-5), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.001388888888888889), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.041666666666666664), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.5), f64x2.mul(q, even));
  let odd = f64x2.splat(1.6059043836821613e-10);
  odd = f64x2.add(f64x2.splat(2.505210838544172e-8), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(2.7557319223985893e-6), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.0001984126984126984), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.008333333333333333), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.16666666666666666), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(1), f64x2.mul(q, odd));
  const sum = f64x2.add(f64x2.add(f64x2.splat(1), f64x2.mul(q, even)), f64x2.mul(r, odd));
  // A whole number in the low bits of a double becomes its exponent.
  const power = i64x2.shl(i64x2.add(f64x2.add(k, f64x2.splat(WHOLE)), i64x2.splat(1023)), 52);
  return f64x2.mul(sum, power);
}

const LN10: f64 = 2.302585092994045684;

/**
 * Gains of a compressor for `n` levels, an even number, which stand in gains as magnitudes. p, f64: 0 threshold, 1 slope, 2 knee, 3 attack, 4 release,
 * 5 floor, below which nothing is asked for; 6 make-up, 7 its change a frame; 8 reduction in dB, which is left where it has come to.
 */
export function compress(gains: usize, n: i32, p: usize): void {
  const threshold = v128.load64_splat(p), slope = v128.load64_splat(p, 8), knee = v128.load64_splat(p, 16), floor = v128.load64_splat(p, 40);
  const attack = load<f64>(p, 24), release = load<f64>(p, 32), madeStep = load<f64>(p, 56);
  const half = f64x2.div(knee, f64x2.splat(2)), twice = f64x2.mul(f64x2.splat(2), knee), minus = f64x2.neg(knee), rounded = f64x2.gt(knee, f64x2.splat(0));
  let made = load<f64>(p, 48);
  let reduction = load<f64>(p, 64);
  for (let i = 0; i < n; i += 2) {
    const at = gains + (<usize>i << 3);
    const peak = v128.load(at);
    const loud = f64x2.gt(peak, floor);
    let wanted = f64x2.splat(0);
    if (v128.any_true(loud)) {
      const over = f64x2.sub(f64x2.mul(f64x2.splat(20.0 / LN10), logPair(peak)), threshold);
      const doubled = f64x2.mul(f64x2.splat(2), over);
      const into = f64x2.add(over, half);
      const soft = f64x2.div(f64x2.mul(f64x2.mul(slope, into), into), twice);
      const bent = v128.and(rounded, f64x2.lt(f64x2.abs(doubled), knee));
      wanted = v128.bitselect(soft, f64x2.mul(slope, over), bent);
      wanted = v128.and(v128.andnot(wanted, f64x2.le(doubled, minus)), loud);
    }
    const first = f64x2.extract_lane(wanted, 0), second = f64x2.extract_lane(wanted, 1);
    reduction += (first < reduction ? attack : release) * (first - reduction);
    if (reduction > -1e-10) reduction = 0;
    const before = reduction;
    reduction += (second < reduction ? attack : release) * (second - reduction);
    if (reduction > -1e-10) reduction = 0;
    const made1 = made + madeStep;
    made = made1 + madeStep;
    const level = f64x2.replace_lane(f64x2.splat(made1), 1, made);
    if (before == 0 && reduction == 0) {
      v128.store(at, level);
      continue;
    }
    const held = f64x2.replace_lane(f64x2.splat(before), 1, reduction);
    const gain = v128.andnot(expPair(f64x2.div(f64x2.mul(held, f64x2.splat(LN10)), f64x2.splat(20))), f64x2.le(held, f64x2.splat(-144)));
    v128.store(at, f64x2.mul(level, v128.bitselect(f64x2.splat(1), gain, f64x2.eq(held, f64x2.splat(0)))));
  }
  store<f64>(p, reduction, 64);
}

/**
 * Gains of a lookahead limiter for n levels, which stand in gains as magnitudes. The gain each needs; its least over the window, by a queue of rising
 * candidates with the frame each came at; let go at `release`; averaged over the window. candidates, stamps, held: f64, window each.
 * counts, i32: 0 head and 1 length of the queue, 2 place in held, 3 run of frames at 1, no further than the window. p, f64: 0 ceiling, 1 release, 2 clock, 3 gain, 4 sum of held.
 */
export function limit(gains: usize, n: i32, window: i32, candidates: usize, stamps: usize, held: usize, counts: usize, p: usize): void {
  const ceiling = load<f64>(p), release = load<f64>(p, 8);
  let clock = load<f64>(p, 16), gain = load<f64>(p, 24), sum = load<f64>(p, 32);
  let head = load<i32>(counts), count = load<i32>(counts, 4), slot = load<i32>(counts, 8), run = load<i32>(counts, 12);
  const whole = <f64>window;
  for (let i = 0; i < n; i++) {
    const at = gains + (<usize>i << 3);
    const peak = load<f64>(at);
    const need = peak > ceiling ? ceiling / peak : 1;
    // What leaves the window goes first: a queue that is full has no place for another.
    if (count > 0 && load<f64>(stamps + (<usize>head << 3)) <= clock - whole) {
      head = head + 1 == window ? 0 : head + 1;
      count--;
    }
    let last = head + count - 1;
    if (last >= window) last -= window;
    while (count > 0 && load<f64>(candidates + (<usize>last << 3)) >= need) {
      count--;
      last = last == 0 ? window - 1 : last - 1;
    }
    let tail = head + count;
    if (tail >= window) tail -= window;
    store<f64>(candidates + (<usize>tail << 3), need);
    store<f64>(stamps + (<usize>tail << 3), clock);
    count++;
    clock += 1;
    const lowest = load<f64>(candidates + (<usize>head << 3));
    gain = lowest < gain ? lowest : gain + release * (lowest - gain);
    if (1 - gain < 1e-9) gain = 1;
    const place = held + (<usize>slot << 3);
    sum += gain - load<f64>(place);
    store<f64>(place, gain);
    slot = slot + 1 == window ? 0 : slot + 1;
    run = gain == 1 ? min(run + 1, window) : 0;
    if (run >= window) sum = whole;
    store<f64>(at, sum == whole ? 1 : sum / whole);
  }
  store<i32>(counts, head);
  store<i32>(counts, count, 4);
  store<i32>(counts, slot, 8);
  store<i32>(counts, run, 12);
  store<f64>(p, clock, 16);
  store<f64>(p, gain, 24);
  store<f64>(p, sum, 32);
}

/**
 * Two channels held back by `length` frames, frame i leaving with gain i; n is a multiple of 2. ring: left and right of each frame side by side, f32.
 * counts, i32: 0 place in the ring, 1 run of silent frames that went in, no further than the length.
 */
export function applyGains(left: usize, right: usize, n: i32, gains: usize, ring: usize, length: i32, counts: usize): void {
  if (length == 0) {
    for (let i = 0; i < n; i += 2) {
      const at = <usize>i << 2;
      const gain = v128.load(gains + (<usize>i << 3));
      v128.store64_lane(left + at, f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(left + at)), gain)), 0);
      v128.store64_lane(right + at, f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(right + at)), gain)), 0);
    }
    return;
  }
  let slot = load<i32>(counts), run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const at = <usize>i << 2;
    const place = ring + (<usize>slot << 3);
    const input = i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 0, 4);
    const out = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(place)), v128.load64_splat(gains + (<usize>i << 3))));
    v128.store64_lane(place, input, 0);
    v128.store32_lane(left + at, out, 0);
    v128.store32_lane(right + at, out, 1);
    slot = slot + 1 == length ? 0 : slot + 1;
    run = v128.any_true(f32x4.ne(input, f32x4.splat(0))) ? 0 : min(run + 1, length);
  }
  store<i32>(counts, slot);
  store<i32>(counts, run, 4);
}

/**
 * Repeats of two channels that feed each other. ring: left and right of each of `size` frames side by side, f32, read between them by a cubic through the
 * four around (Catmull-Rom). counts, i32: 0 place in the ring, 1 run of frames in which nothing went in, no further than the size.
 * p, f64: 0 delay, 1 its change a frame; 2, 3 feedback; 4, 5 how much of it crosses sides; 6, 7 wet; 8 damping; 10, 11 low-pass states left and right.
 */
export function repeat(left: usize, right: usize, n: i32, ring: usize, size: i32, counts: usize, p: usize): void {
  let t = load<f64>(p), f = load<f64>(p, 16), c = load<f64>(p, 32), w = load<f64>(p, 48);
  const tStep = load<f64>(p, 8), fStep = load<f64>(p, 24), cStep = load<f64>(p, 40), wStep = load<f64>(p, 56);
  const damp = v128.load64_splat(p, 64), pass = f64x2.splat(1 - load<f64>(p, 64));
  let low = v128.load(p, 80);
  let head = load<i32>(counts), run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const place = <usize>i << 2;
    t += tStep;
    f += fStep;
    c += cStep;
    w += wStep;
    const input = f64x2.promote_low_f32x4(i32x4.shuffle(v128.load32_zero(left + place), v128.load32_zero(right + place), 0, 4, 0, 4));
    // Read before anything goes in, so a delay of t is t - 1 frames before the last that did.
    const back = t - 1;
    const steps = floor(back);
    const x = f64x2.splat(back - steps);
    let at = head - 1 - <i32>steps;
    if (at < 0) at += size;
    const newer = at + 1 >= size ? at + 1 - size : at + 1, old1 = at - 1 < 0 ? at - 1 + size : at - 1, old2 = at - 2 < 0 ? at - 2 + size : at - 2;
    const p0 = f64x2.promote_low_f32x4(v128.load64_zero(ring + (<usize>newer << 3))), p1 = f64x2.promote_low_f32x4(v128.load64_zero(ring + (<usize>at << 3)));
    const p2 = f64x2.promote_low_f32x4(v128.load64_zero(ring + (<usize>old1 << 3))), p3 = f64x2.promote_low_f32x4(v128.load64_zero(ring + (<usize>old2 << 3)));
    const read = cubic2(p0, p1, p2, p3, x);
    low = flush2(f64x2.add(f64x2.mul(read, pass), f64x2.mul(low, damp)));
    const other = i64x2.shuffle(low, low, 1, 0);
    const fed = flush2(f64x2.add(input, f64x2.mul(f64x2.splat(f), f64x2.add(f64x2.mul(low, f64x2.splat(1 - c)), f64x2.mul(other, f64x2.splat(c))))));
    v128.store64_lane(ring + (<usize>head << 3), f32x4.demote_f64x2_zero(fed), 0);
    head = head + 1 == size ? 0 : head + 1;
    run = v128.any_true(f64x2.ne(fed, f64x2.splat(0))) ? 0 : min(run + 1, size);
    const out = f32x4.demote_f64x2_zero(f64x2.add(f64x2.mul(input, f64x2.splat(1 - w)), f64x2.mul(low, f64x2.splat(w))));
    v128.store32_lane(left + place, out, 0);
    v128.store32_lane(right + place, out, 1);
  }
  store<i32>(counts, head);
  store<i32>(counts, run, 4);
  v128.store(p, low, 80);
}

/** Two channels, each added to another at a gain that is multiplied by `keep` from frame to frame; returns what the gain has come to. */
export function addFading(outLeft: usize, outRight: usize, left: usize, right: usize, n: i32, gain: f64, keep: f64): f64 {
  let g = gain;
  for (let i = 0; i < n; i++) {
    const at = <usize>i << 2;
    const x = f64x2.promote_low_f32x4(i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5));
    const y = f64x2.promote_low_f32x4(i32x4.shuffle(v128.load32_zero(outLeft + at), v128.load32_zero(outRight + at), 0, 4, 1, 5));
    const sum = f32x4.demote_f64x2_zero(f64x2.add(y, f64x2.mul(x, f64x2.splat(g))));
    v128.store32_lane(outLeft + at, sum, 0);
    v128.store32_lane(outRight + at, sum, 1);
    g *= keep;
  }
  return g;
}

// @ts-ignore: decorator
@inline
function cubic2(p0: v128, p1: v128, p2: v128, p3: v128, x: v128): v128 {
  const bend = f64x2.sub(f64x2.add(f64x2.mul(f64x2.splat(3), f64x2.sub(p1, p2)), p3), p0);
  const curve = f64x2.sub(f64x2.add(f64x2.sub(f64x2.mul(f64x2.splat(2), p0), f64x2.mul(f64x2.splat(5), p1)), f64x2.mul(f64x2.splat(4), p2)), p3);
  return f64x2.add(p1, f64x2.mul(f64x2.mul(f64x2.splat(0.5), x), f64x2.add(f64x2.sub(p2, p0), f64x2.mul(x, f64x2.add(curve, f64x2.mul(x, bend))))));
}

// @ts-ignore: decorator
@inline
function back(at: i32, steps: i32, size: i32): usize {
  const place = at - steps;
  return <usize>(place < 0 ? place + size : place) << 3;
}

/** Left as it was at one delay and right as it was at another, from a ring that holds both side by side, `head` being where the next goes. */
// @ts-ignore: decorator
@inline
function readApart(ring: usize, size: i32, head: i32, delayLeft: f64, delayRight: f64): v128 {
  const wholeLeft = floor(delayLeft), wholeRight = floor(delayRight);
  const l = head - <i32>wholeLeft, r = head - <i32>wholeRight;
  const newest = i32x4.shuffle(v128.load32_zero(ring + back(l, 0, size)), v128.load32_zero(ring + back(r, 0, size) + 4), 0, 4, 1, 5);
  const newer = i32x4.shuffle(v128.load32_zero(ring + back(l, 1, size)), v128.load32_zero(ring + back(r, 1, size) + 4), 0, 4, 1, 5);
  const older = i32x4.shuffle(v128.load32_zero(ring + back(l, 2, size)), v128.load32_zero(ring + back(r, 2, size) + 4), 0, 4, 1, 5);
  const oldest = i32x4.shuffle(v128.load32_zero(ring + back(l, 3, size)), v128.load32_zero(ring + back(r, 3, size) + 4), 0, 4, 1, 5);
  const x = f64x2.replace_lane(f64x2.splat(delayLeft - wholeLeft), 1, delayRight - wholeRight);
  return cubic2(f64x2.promote_low_f32x4(newest), f64x2.promote_low_f32x4(newer), f64x2.promote_low_f32x4(older), f64x2.promote_low_f32x4(oldest), x);
}

/**
 * Two copies a side at delays of their own, at least one frame. ring: left and right of each of `size` frames side by side, f32. counts, i32: 0 place in the
 * ring, 1 run of silent frames that went in, no further than the size. p, f64: 0 wet, 1 its change a frame; then the same of the left's two delays and the right's two.
 */
export function copies(left: usize, right: usize, n: i32, ring: usize, size: i32, counts: usize, p: usize): void {
  let w = load<f64>(p), a = load<f64>(p, 16), b = load<f64>(p, 32), c = load<f64>(p, 48), d = load<f64>(p, 64);
  const wStep = load<f64>(p, 8), aStep = load<f64>(p, 24), bStep = load<f64>(p, 40), cStep = load<f64>(p, 56), dStep = load<f64>(p, 72);
  let head = load<i32>(counts), run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const at = <usize>i << 2;
    w += wStep;
    const both = i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5);
    v128.store64_lane(ring + (<usize>head << 3), both, 0);
    head = head + 1 == size ? 0 : head + 1;
    run = v128.any_true(f32x4.ne(both, f32x4.splat(0))) ? 0 : min(run + 1, size);
    const wet = f64x2.mul(f64x2.splat(0.6 * w), f64x2.add(readApart(ring, size, head, a, c), readApart(ring, size, head, b, d)));
    const out = f32x4.demote_f64x2_zero(f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(both), f64x2.splat(1 - w)), wet));
    v128.store32_lane(left + at, out, 0);
    v128.store32_lane(right + at, out, 1);
    a += aStep;
    b += bStep;
    c += cStep;
    d += dStep;
  }
  store<i32>(counts, head);
  store<i32>(counts, run, 4);
}

/**
 * What `feedbackNetwork` left in outs, in two channels: mixed, through a first-order high-pass, and with the dry signal.
 * p, f64: 0 wet, 1 its change a frame; 2 and 3 the filter's gain and pole; 4, 5 its last inputs left and right; 6, 7 its last outputs.
 */
export function outOfNetwork(left: usize, right: usize, n: i32, outs: usize, p: usize): void {
  let w = load<f64>(p);
  const wStep = load<f64>(p, 8);
  const gain = v128.load64_splat(p, 16), pole = v128.load64_splat(p, 24);
  let x = v128.load(p, 32), y = v128.load(p, 48);
  for (let i = 0; i < n; i++) {
    const at = <usize>i << 2;
    const o = outs + (<usize>i << 6);
    const early = f64x2.sub(v128.load(o), v128.load(o, 16));
    const across = f64x2.mul(f64x2.splat(0.5), i64x2.shuffle(early, early, 1, 0));
    const mixed = f64x2.mul(f64x2.splat(0.35), f64x2.add(f64x2.sub(f64x2.add(early, v128.load(o, 32)), v128.load(o, 48)), across));
    y = f64x2.add(f64x2.mul(gain, f64x2.sub(mixed, x)), f64x2.mul(pole, y));
    x = mixed;
    w += wStep;
    const dry = f64x2.promote_low_f32x4(i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5));
    const out = f32x4.demote_f64x2_zero(f64x2.add(f64x2.mul(dry, f64x2.splat(1 - w)), f64x2.mul(y, f64x2.splat(w))));
    v128.store32_lane(left + at, out, 0);
    v128.store32_lane(right + at, out, 1);
  }
  v128.store(p, x, 32);
  v128.store(p, flush2(y), 48);
}
