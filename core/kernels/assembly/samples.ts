import { WHOLE } from "./states";

/**
 * Interleaved 24-bit stereo to two channels. A sample's 24 bits stand in the top of 32, so conversion and scaling are
 * exact.
 */
export function unpack24(bytes: usize, left: usize, right: usize, frames: i32): void {
  const scale = f32x4.splat(1.0 / 2147483648.0);
  const zero = i32x4.splat(0);
  let i = 0;
  // Four frames are 24 bytes; the second load begins at byte 8 and takes the last 12 of its 16, so nothing behind is
  // read.
  for (; i + 4 <= frames; i += 4) {
    const at = bytes + <usize>i * 6;
    const first = v128.load(at);
    const last = v128.load(at, 8);
    const a = f32x4.mul(
      f32x4.convert_i32x4_s(i8x16.shuffle(zero, first, 0, 16, 17, 18, 0, 19, 20, 21, 0, 22, 23, 24, 0, 25, 26, 27)),
      scale,
    );
    const b = f32x4.mul(
      f32x4.convert_i32x4_s(i8x16.shuffle(zero, last, 0, 20, 21, 22, 0, 23, 24, 25, 0, 26, 27, 28, 0, 29, 30, 31)),
      scale,
    );
    v128.store(left + ((<usize>i) << 2), i8x16.shuffle(a, b, 0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27));
    v128.store(
      right + ((<usize>i) << 2),
      i8x16.shuffle(a, b, 4, 5, 6, 7, 12, 13, 14, 15, 20, 21, 22, 23, 28, 29, 30, 31),
    );
  }
  for (; i < frames; i++) {
    const at = bytes + <usize>i * 6;
    const l = ((<i32>load<u16>(at)) << 8) | ((<i32>load<u8>(at, 2)) << 24);
    const r = ((<i32>load<u16>(at, 3)) << 8) | ((<i32>load<u8>(at, 5)) << 24);
    store<f32>(left + ((<usize>i) << 2), <f32>(<f64>l / 2147483648));
    store<f32>(right + ((<usize>i) << 2), <f32>(<f64>r / 2147483648));
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
  const b = f64x2.add(
    f64x2.add(
      f64x2.mul(f64x2.promote_low_f32x4(i64x2.shuffle(x, x, 1, 1)), wide),
      f64x2.promote_low_f32x4(i64x2.shuffle(dither, dither, 1, 1)),
    ),
    whole,
  );
  return i32x4.shuffle(a, b, 0, 2, 4, 6);
}

/**
 * Two channels to interleaved whole numbers of 2 or 3 bytes, dithered from (seed, absolute frame). Returns how many
 * samples were held at full scale.
 */
export function pack(
  bytes: usize,
  left: usize,
  right: usize,
  frames: i32,
  channels: i32,
  width: i32,
  dithered: bool,
  seed: u32,
  start: f64,
): i32 {
  let clipped = 0;
  let out = bytes;
  let i = 0;
  const base = <u64>start * 2;
  // Four stereo frames at a time, as long as their numbers share the upper half of the counter.
  if (channels == 2 && <u32>(base >> 32) == <u32>((base + <u64>frames * 2) >> 32)) {
    // Always 0, which the compiler does not know: what depends on it stays in a register, where a constant is built
    // anew at each use.
    const nothing = channels - 2;
    const m1 = i32x4.splat(nothing + 0x85ebca6b),
      m2 = i32x4.splat(nothing + 0xc2b2ae35),
      low16 = i32x4.splat(nothing + 0xffff);
    const step = i32x4.splat(nothing + <i32>(DITHER_STEP * 4));
    const nearFull = f32x4.splat(<f32>nothing + 0.99),
      fine = f32x4.splat(<f32>nothing + (dithered ? <f32>(1.0 / 65536.0) : <f32>0)),
      one = f32x4.splat(<f32>nothing + (dithered ? <f32>1 : <f32>0));
    const whole = f64x2.splat(<f64>nothing + WHOLE),
      wide = f64x2.splat(width == 3 ? 8388608 : 32768);
    const together =
      width == 3
        ? i8x16(0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14, -1, -1, -1, -1)
        : i8x16(0, 1, 4, 5, 8, 9, 12, 13, -1, -1, -1, -1, -1, -1, -1, -1);
    let counter = i32x4.add(
      i32x4.splat(<i32>(<u32>base * DITHER_STEP + ditherStart(seed, <u32>(base >> 32)))),
      i32x4(0, DITHER_STEP, DITHER_STEP * 2, DITHER_STEP * 3),
    );
    const size = (<usize>width) << 2;
    for (; i + 4 <= frames; i += 4) {
      const at = (<usize>i) << 2;
      const l = v128.load(left + at),
        r = v128.load(right + at);
      const here = counter,
        there = i32x4.add(counter, step);
      counter = i32x4.add(there, step);
      if (v128.any_true(f32x4.ge(f32x4.pmax(f32x4.abs(l), f32x4.abs(r)), nearFull))) {
        const number = base + <u64>i * 2;
        for (let k = 0; k < 8; k++) {
          clipped += packSample(
            out,
            load<f32>((k & 1 ? right : left) + at + ((<usize>(k >> 1)) << 2)),
            width,
            dithered,
            seed,
            number + <u64>k,
          );
          out += width;
        }
        continue;
      }
      // A sum of two halves has 17 bits: exact in single precision. Left and right of one frame, then of the next.
      const a = mix4(here, m1, m2),
        b = mix4(there, m1, m2);
      const ditherA = f32x4.sub(
        f32x4.mul(f32x4.convert_i32x4_s(i32x4.add(v128.and(a, low16), i32x4.shr_u(a, 16))), fine),
        one,
      );
      const ditherB = f32x4.sub(
        f32x4.mul(f32x4.convert_i32x4_s(i32x4.add(v128.and(b, low16), i32x4.shr_u(b, 16))), fine),
        one,
      );
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
      clipped += packSample(
        out,
        load<f32>((c == 0 ? left : right) + ((<usize>i) << 2)),
        width,
        dithered,
        seed,
        (<u64>start + <u64>i) * 2 + <u64>c,
      );
      out += width;
    }
  }
  return clipped;
}
