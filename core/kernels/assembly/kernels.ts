// AssemblyScript: compiled to core/kernels/wasm.gen.ts by `npm run kernels`. Every function works on memory that the
// caller laid out: pointers are byte offsets, samples are f32, states and coefficients f64. Each has a readable twin in
// TypeScript that gives the same bits; operations and their order are the twin's.

/** Below this a filter state becomes zero. */
const FLUSH: f64 = 1e-30;
const QUANTUM: i32 = 64;

/** One second-order section over two channels, transposed direct form II. k: b0 b1 b2 a1 a2; z: l1 r1 l2 r2. */
export function biquad(left: usize, right: usize, frames: i32, k: usize, z: usize): void {
  const b0 = v128.splat<f64>(load<f64>(k));
  const b1 = v128.splat<f64>(load<f64>(k, 8));
  const b2 = v128.splat<f64>(load<f64>(k, 16));
  const a1 = v128.splat<f64>(load<f64>(k, 24));
  const a2 = v128.splat<f64>(load<f64>(k, 32));
  let z1 = v128.load(z);
  let z2 = v128.load(z, 16);
  for (let from = 0; from < frames; from += QUANTUM) {
    for (let i = from; i < from + QUANTUM; i++) {
      const at = <usize>i << 2;
      const x = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
      const y = f64x2.add(f64x2.mul(b0, x), z1);
      z1 = f64x2.add(f64x2.sub(f64x2.mul(b1, x), f64x2.mul(a1, y)), z2);
      z2 = f64x2.sub(f64x2.mul(b2, x), f64x2.mul(a2, y));
      store<f32>(left + at, <f32>f64x2.extract_lane(y, 0));
      store<f32>(right + at, <f32>f64x2.extract_lane(y, 1));
    }
    if (abs(f64x2.extract_lane(z1, 0)) < FLUSH && abs(f64x2.extract_lane(z2, 0)) < FLUSH) {
      z1 = f64x2.replace_lane(z1, 0, 0);
      z2 = f64x2.replace_lane(z2, 0, 0);
    }
    if (abs(f64x2.extract_lane(z1, 1)) < FLUSH && abs(f64x2.extract_lane(z2, 1)) < FLUSH) {
      z1 = f64x2.replace_lane(z1, 1, 0);
      z2 = f64x2.replace_lane(z2, 1, 0);
    }
  }
  v128.store(z, z1);
  v128.store(z, z2, 16);
}

/** Two sections one after the other, as two calls of `biquad` would do: their chains of dependence run side by side. */
export function biquadPair(left: usize, right: usize, frames: i32, k: usize, z: usize, k2: usize, z2: usize): void {
  const b0 = v128.load64_splat(k), b1 = v128.load64_splat(k, 8), b2 = v128.load64_splat(k, 16), a1 = v128.load64_splat(k, 24), a2 = v128.load64_splat(k, 32);
  const d0 = v128.load64_splat(k2), d1 = v128.load64_splat(k2, 8), d2 = v128.load64_splat(k2, 16), c1 = v128.load64_splat(k2, 24), c2 = v128.load64_splat(k2, 32);
  const alive = f64x2.splat(FLUSH);
  let s1 = v128.load(z), s2 = v128.load(z, 16), t1 = v128.load(z2), t2 = v128.load(z2, 16);
  for (let from = 0; from < frames; from += QUANTUM) {
    for (let i = from; i < from + QUANTUM; i++) {
      const at = <usize>i << 2;
      const x = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
      const y = f64x2.add(f64x2.mul(b0, x), s1);
      s1 = f64x2.add(f64x2.sub(f64x2.mul(b1, x), f64x2.mul(a1, y)), s2);
      s2 = f64x2.sub(f64x2.mul(b2, x), f64x2.mul(a2, y));
      const u = f64x2.promote_low_f32x4(f32x4.demote_f64x2_zero(y));
      const v = f64x2.add(f64x2.mul(d0, u), t1);
      t1 = f64x2.add(f64x2.sub(f64x2.mul(d1, u), f64x2.mul(c1, v)), t2);
      t2 = f64x2.sub(f64x2.mul(d2, u), f64x2.mul(c2, v));
      const out = f32x4.demote_f64x2_zero(v);
      v128.store32_lane(left + at, out, 0);
      v128.store32_lane(right + at, out, 1);
    }
    const s = v128.or(f64x2.ge(f64x2.abs(s1), alive), f64x2.ge(f64x2.abs(s2), alive));
    const t = v128.or(f64x2.ge(f64x2.abs(t1), alive), f64x2.ge(f64x2.abs(t2), alive));
    s1 = v128.and(s1, s);
    s2 = v128.and(s2, s);
    t1 = v128.and(t1, t);
    t2 = v128.and(t2, t);
  }
  v128.store(z, s1);
  v128.store(z, s2, 16);
  v128.store(z2, t1);
  v128.store(z2, t2, 16);
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

function randomBits(seed: u32, index: u64): u32 {
  return mix((mix(<u32>index ^ seed) + (<u32>(index >> 32) + 1) * 0x9e3779b9) ^ (seed * 0x27d4eb2f));
}

/** One sample to a whole number, held at full scale; returns whether it lay beyond. */
function packSample(out: usize, sample: f32, width: i32, dithered: bool, seed: u32, index: u64): i32 {
  const scale: f64 = width == 3 ? 8388608 : 32768;
  const x = <f64>sample * scale;
  let dither: f64 = 0;
  if (dithered) {
    const bits = randomBits(seed, index);
    dither = <f64>((bits & 0xffff) + (bits >> 16)) / 65536 - 1;
  }
  const n = <i32>max(-scale, min(scale - 1, floor<f64>(x + dither + 0.5)));
  store<u16>(out, <u16>n);
  if (width == 3) store<u8>(out, <u8>(n >> 16), 2);
  return i32(x > scale - 0.5 || x < -scale - 0.5);
}

/** Two channels to interleaved whole numbers of 2 or 3 bytes, dithered from (seed, absolute frame). Returns how many samples were held at full scale. */
export function pack(bytes: usize, left: usize, right: usize, frames: i32, channels: i32, width: i32, dithered: bool, seed: u32, start: f64): i32 {
  let clipped = 0;
  let out = bytes;
  let i = 0;
  const base = <u64>start * 2;
  // Two stereo frames at a time, as long as their numbers share the upper half of the counter.
  if (channels == 2 && dithered && <u32>(base >> 32) == <u32>((base + <u64>frames * 2) >> 32)) {
    // Always 0, which the compiler does not know: what depends on it stays in a register, where a constant is built anew at each use.
    const nothing = channels - 2;
    const m1 = i32x4.splat(nothing + 0x85ebca6b), m2 = i32x4.splat(nothing + 0xc2b2ae35), low16 = i32x4.splat(nothing + 0xffff);
    const step = i32x4.splat(nothing + 4);
    const nearFull = f32x4.splat(<f32>nothing + 0.99), fine = f32x4.splat(<f32>nothing + 1.0 / 65536.0), one = f32x4.splat(<f32>nothing + 1);
    const half = f64x2.splat(<f64>nothing + 0.5), whole = f64x2.splat(<f64>nothing + 6755399441055744), wide = f64x2.splat(width == 3 ? 8388608 : 32768);
    const spread = i32x4.splat(<i32>((<u32>(base >> 32) + 1) * 0x9e3779b9));
    const salt = i32x4.splat(<i32>(seed * 0x27d4eb2f));
    const together = width == 3 ? i8x16(0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1) : i8x16(0, 1, 4, 5, 8, 9, 12, 13, -1, -1, -1, -1, -1, -1, -1, -1);
    const seeds = i32x4.splat(<i32>seed);
    let index = i32x4.add(i32x4.splat(<i32>(<u32>base)), i32x4(0, 1, 2, 3));
    for (; i + 2 <= frames; i += 2) {
      const at = <usize>i << 2;
      // Left and right of the first frame, then of the second; so is everything below.
      const x = i32x4.shuffle(v128.load64_zero(left + at), v128.load64_zero(right + at), 0, 4, 1, 5);
      if (v128.any_true(f32x4.ge(f32x4.abs(x), nearFull))) {
        const number = base + <u64>i * 2;
        for (let k = 0; k < 4; k++) {
          clipped += packSample(out, load<f32>((k & 1 ? right : left) + at + (<usize>(k >> 1) << 2)), width, true, seed, number + <u64>k);
          out += width;
        }
        index = i32x4.add(index, step);
        continue;
      }
      let h = v128.xor(index, seeds);
      index = i32x4.add(index, step);
      h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 16)), m1);
      h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 13)), m2);
      h = v128.xor(i32x4.add(v128.xor(h, i32x4.shr_u(h, 16)), spread), salt);
      h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 16)), m1);
      h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 13)), m2);
      h = v128.xor(h, i32x4.shr_u(h, 16));
      // A sum of two halves has 17 bits: exact in single precision.
      const dither = f32x4.sub(f32x4.mul(f32x4.convert_i32x4_s(i32x4.add(v128.and(h, low16), i32x4.shr_u(h, 16))), fine), one);
      const x2 = i64x2.shuffle(x, x, 1, 1);
      const dither2 = i64x2.shuffle(dither, dither, 1, 1);
      const a = f64x2.floor(f64x2.add(f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(x), wide), f64x2.promote_low_f32x4(dither)), half));
      const b = f64x2.floor(f64x2.add(f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(x2), wide), f64x2.promote_low_f32x4(dither2)), half));
      // A whole number added to 1.5 * 2^52 stands in the low bits of the sum, which is far cheaper than a conversion.
      const n = i8x16.swizzle(i32x4.shuffle(f64x2.add(a, whole), f64x2.add(b, whole), 0, 2, 4, 6), together);
      // Twelve bytes or eight; those behind them are overwritten by the next pair, or lie in the slack the caller keeps.
      if (width == 3) v128.store(out, n);
      else v128.store64_lane(out, n, 0);
      out += width << 2;
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
  for (let i = 0; i < n; i++) {
    const at = <usize>i << 2;
    const input = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
    // What has just become known comes last: each sample waits for one product and one difference of the one before.
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
  const alive = f64x2.splat(FLUSH);
  const ys = f64x2.ge(f64x2.abs(y1), alive);
  const zs = f64x2.ge(f64x2.abs(z1), alive);
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

/**
 * One voice of the synthesiser, added to two channels; four steps of time at once, but for the filter, which is the trapezoidal
 * state-variable low-pass written as a matrix: s1' = a s1 + p (x - s2), s2' = s2 + p s1 + q (x - s2), out = (s2 + s2') / 2.
 * oscillators: 32 bytes each: once, twice, three and four times its phase step (i32), phase (i32), reach (f32, half a cycle over a step), gains left and right (f32).
 * voice, f64: 0 level, 1 its change a step; 2, 3 a; 4, 5 p; 6, 7 q; 8, 9 half the output gain; 10-13 filter states l1 r1 l2 r2;
 * `unit` is 1 and `top` the top bit: what comes as an argument stays in a register, where a constant is built anew at each use.
 * at byte 112 the sub oscillator's four multiples of its step and its phase (i32); at byte 144 room for eight f32.
 */
export function synthVoice(left: usize, right: usize, steps: i32, count: i32, oscillators: usize, voice: usize, pulse: f32, sub: f32, unit: f32, top: i32): void {
  const one = f32x4.splat(unit);
  const part = f32x4.splat(unit / 2147483648.0);
  const sign = i32x4.splat(top);
  const zero = f32x4.sub(one, one);
  const end = oscillators + (<usize>count << 5);
  let level = load<f64>(voice), a = load<f64>(voice, 16), p = load<f64>(voice, 32), q = load<f64>(voice, 48), post = load<f64>(voice, 64);
  const levelStep = load<f64>(voice, 8), aStep = load<f64>(voice, 24), pStep = load<f64>(voice, 40), qStep = load<f64>(voice, 56), postStep = load<f64>(voice, 72);
  let s1 = v128.load(voice, 80);
  let s2 = v128.load(voice, 96);
  const pulses = f32x4.splat(pulse);
  const subs = f32x4.splat(sub);
  const rise = f32x4.mul(f32x4.splat(<f32>levelStep), f32x4(1, 2, 3, 4));
  for (let s = 0; s < steps; s += 4) {
    const n = min(4, steps - s);
    const last = (<usize>(n - 1)) << 2;
    let sumLeft = f32x4.splat(0);
    let sumRight = f32x4.splat(0);
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
      const phase = i32x4.add(i32x4.splat(base), v128.load(voice, 112));
      store<i32>(voice, base + load<i32>(voice + last, 112), 128);
      const triangle = f32x4.mul(f32x4.sub(f32x4.abs(f32x4.mul(f32x4.convert_i32x4_s(phase), f32x4.splat(1.0 / 1073741824.0))), f32x4.splat(1)), subs);
      sumLeft = f32x4.add(sumLeft, triangle);
      sumRight = f32x4.add(sumRight, triangle);
    }
    const loud = f32x4.add(f32x4.splat(<f32>level), rise);
    level += levelStep * <f64>n;
    const l = saturate4(f32x4.mul(sumLeft, loud));
    const r = saturate4(f32x4.mul(sumRight, loud));
    // Left and right of each step side by side, as the filter takes them.
    v128.store(voice, i8x16.shuffle(l, r, 0, 1, 2, 3, 16, 17, 18, 19, 4, 5, 6, 7, 20, 21, 22, 23), 144);
    v128.store(voice, i8x16.shuffle(l, r, 8, 9, 10, 11, 24, 25, 26, 27, 12, 13, 14, 15, 28, 29, 30, 31), 160);
    for (let j: usize = 0; j <= last; j += 4) {
      a += aStep;
      p += pStep;
      q += qStep;
      post += postStep;
      const ps = f64x2.splat(p);
      const x = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(voice + (j << 1), 144)), s2);
      const before = s2;
      s2 = f64x2.add(f64x2.add(s2, f64x2.mul(ps, s1)), f64x2.mul(f64x2.splat(q), x));
      s1 = f64x2.add(f64x2.mul(f64x2.splat(a), s1), f64x2.mul(ps, x));
      const y = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.add(before, s2), f64x2.splat(post)));
      const at = (<usize>s << 2) + j;
      store<f32>(left + at, load<f32>(left + at) + f32x4.extract_lane(y, 0));
      store<f32>(right + at, load<f32>(right + at) + f32x4.extract_lane(y, 1));
    }
  }
  store<f64>(voice, level);
  store<f64>(voice, a, 16);
  store<f64>(voice, p, 32);
  store<f64>(voice, q, 48);
  store<f64>(voice, post, 64);
  v128.store(voice, s1, 80);
  v128.store(voice, s2, 96);
}

// @ts-ignore: decorator
@inline
function dot(x: usize, kernel: usize, taps: i32): f32 {
  let sum = f32x4.splat(0);
  for (let k: usize = 0; k < <usize>taps << 2; k += 16) sum = f32x4.add(sum, f32x4.mul(v128.load(x + k), v128.load(kernel + k)));
  return f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + (f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3));
}

/** out[i] += the sum of `taps` inputs from i * over on, weighted; taps is a multiple of 4. */
export function decimate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  for (let i = 0; i < frames; i++) {
    const at = out + (<usize>i << 2);
    store<f32>(at, load<f32>(at) + dot(input + (<usize>(i * over) << 2), kernel, taps));
  }
}

/** out[i * over + p] = the sum of `taps` inputs from i on, weighted by row p of the kernel; taps is a multiple of 4. */
export function interpolate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  for (let i = 0; i < frames; i++) {
    for (let p = 0; p < over; p++) {
      store<f32>(out + (<usize>(i * over + p) << 2), dot(input + (<usize>i << 2), kernel + (<usize>(p * taps) << 2), taps));
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
