import { alive } from "./states";

const TAPS: i32 = 24;

// @ts-ignore: decorator
@inline
function loudest4(x: v128): f32 {
  return max(
    max(f32x4.extract_lane(x, 0), f32x4.extract_lane(x, 1)),
    max(f32x4.extract_lane(x, 2), f32x4.extract_lane(x, 3)),
  );
}

// @ts-ignore: decorator
@inline
function loudestOf8(at: usize): v128 {
  return f32x4.pmax(f32x4.abs(v128.load(at)), f32x4.abs(v128.load(at, 16)));
}

/**
 * `known`, or the largest magnitude of three interpolated points after every sample where that is larger: x holds TAPS
 * - 1 samples before the first of n, and one more behind them that is never used for a point. The first and the last of
 * three points mirror each other, and the middle one mirrors itself; kernels: half a row each, from the outside in, of
 * what the first and the last have in common, of what divides them, and of the middle. No point exceeds the largest
 * sample in its reach times `worst`. Eight samples at a time, and none where those in their reach are too small to
 * matter.
 */
export function interpolatedPeak(x: usize, n: i32, kernels: usize, known: f32, worst: f32): f32 {
  let peak = known;
  let i = 0;
  let m0 = loudestOf8(x),
    m1 = loudestOf8(x + 32),
    m2 = loudestOf8(x + 64);
  for (; i + 8 <= n; i += 8) {
    const at = x + ((<usize>i) << 2);
    const m3 = loudestOf8(at + 96);
    const reach = f32x4.pmax(f32x4.pmax(m0, m1), f32x4.pmax(m2, m3));
    m0 = m1;
    m1 = m2;
    m2 = m3;
    if (!v128.any_true(f32x4.gt(f32x4.mul(reach, f32x4.splat(worst)), f32x4.splat(peak)))) continue;
    let a = f32x4.splat(0),
      b = f32x4.splat(0),
      c = f32x4.splat(0),
      d = f32x4.splat(0),
      e = f32x4.splat(0),
      f = f32x4.splat(0);
    let from = at;
    let back = at + ((TAPS - 1) << 2);
    for (let row = kernels; row < kernels + 48; row += 4) {
      const p = v128.load32_splat(row),
        q = v128.load32_splat(row, 48),
        r = v128.load32_splat(row, 96);
      const v = v128.load(from),
        w = v128.load(back);
      const sum = f32x4.add(v, w);
      a = f32x4.add(a, f32x4.mul(p, sum));
      b = f32x4.add(b, f32x4.mul(q, f32x4.sub(v, w)));
      c = f32x4.add(c, f32x4.mul(r, sum));
      const v2 = v128.load(from, 16),
        w2 = v128.load(back, 16);
      const sum2 = f32x4.add(v2, w2);
      d = f32x4.add(d, f32x4.mul(p, sum2));
      e = f32x4.add(e, f32x4.mul(q, f32x4.sub(v2, w2)));
      f = f32x4.add(f, f32x4.mul(r, sum2));
      from += 4;
      back -= 4;
    }
    // Of a sum and a difference the larger magnitude is the sum of both magnitudes.
    peak = max(
      peak,
      loudest4(
        f32x4.pmax(
          f32x4.pmax(f32x4.add(f32x4.abs(a), f32x4.abs(b)), f32x4.abs(c)),
          f32x4.pmax(f32x4.add(f32x4.abs(d), f32x4.abs(e)), f32x4.abs(f)),
        ),
      ),
    );
  }
  for (; i < n; i++) {
    const at = x + ((<usize>i) << 2);
    let common: f32 = 0,
      apart: f32 = 0,
      middle: f32 = 0;
    for (let k: usize = 0; k < 48; k += 4) {
      const v = load<f32>(at + k),
        w = load<f32>(at + ((TAPS - 1) << 2) - k);
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
    const l = v128.load(left + ((<usize>i) << 2));
    const r = v128.load(right + ((<usize>i) << 2));
    low = f32x4.pmin(low, f32x4.pmin(l, r));
    high = f32x4.pmax(high, f32x4.pmax(l, r));
  }
  let bottom = min(
    min(f32x4.extract_lane(low, 0), f32x4.extract_lane(low, 1)),
    min(f32x4.extract_lane(low, 2), f32x4.extract_lane(low, 3)),
  );
  let top = max(
    max(f32x4.extract_lane(high, 0), f32x4.extract_lane(high, 1)),
    max(f32x4.extract_lane(high, 2), f32x4.extract_lane(high, 3)),
  );
  for (; i < n; i++) {
    const l = load<f32>(left + ((<usize>i) << 2));
    const r = load<f32>(right + ((<usize>i) << 2));
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
    range(left + ((<usize>i) << 2), right + ((<usize>i) << 2), min(piece, n - i), at);
    at += 8;
  }
}

/** Whether two channels are the same to the last bit. */
export function equal(left: usize, right: usize, n: i32): bool {
  let i = 0;
  for (; i + 4 <= n; i += 4) {
    if (v128.any_true(v128.xor(v128.load(left + ((<usize>i) << 2)), v128.load(right + ((<usize>i) << 2)))))
      return false;
  }
  for (; i < n; i++) if (load<u32>(left + ((<usize>i) << 2)) != load<u32>(right + ((<usize>i) << 2))) return false;
  return true;
}

/**
 * Sum of squares of two K-weighted channels, added at the end. k: b0 b1 b2 a1 a2 c1 c2; z: x1 x2 y1 y2 z1 z2, left and
 * right of each.
 */
export function kWeightedEnergy(left: usize, right: usize, n: i32, k: usize, z: usize): f64 {
  const b0 = v128.load64_splat(k),
    b1 = v128.load64_splat(k, 8),
    b2 = v128.load64_splat(k, 16),
    a1 = v128.load64_splat(k, 24);
  const a2 = v128.load64_splat(k, 32),
    c1 = v128.load64_splat(k, 40),
    c2 = v128.load64_splat(k, 48),
    two = f64x2.splat(2);
  let x1 = v128.load(z),
    x2 = v128.load(z, 16),
    y1 = v128.load(z, 32),
    y2 = v128.load(z, 48),
    z1 = v128.load(z, 64),
    z2 = v128.load(z, 80);
  let sum = f64x2.splat(0);
  let i = 0;
  // What has just become known comes last: each sample waits for one product and one difference of the one before.
  for (; i + 2 <= n; i += 2) {
    const at = (<usize>i) << 2;
    const pair = i32x4.shuffle(v128.load64_zero(left + at), v128.load64_zero(right + at), 0, 4, 1, 5);
    const in1 = f64x2.promote_low_f32x4(pair);
    const ya = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, in1), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)),
      f64x2.mul(a1, y1),
    );
    const wa = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.sub(ya, f64x2.mul(two, y1)), y2), f64x2.mul(c2, z2)),
      f64x2.mul(c1, z1),
    );
    sum = f64x2.add(sum, f64x2.mul(wa, wa));
    const in2 = f64x2.promote_low_f32x4(i64x2.shuffle(pair, pair, 1, 1));
    const yb = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, in2), f64x2.mul(b1, in1)), f64x2.mul(b2, x1)), f64x2.mul(a2, y1)),
      f64x2.mul(a1, ya),
    );
    const wb = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.sub(yb, f64x2.mul(two, ya)), y1), f64x2.mul(c2, z1)),
      f64x2.mul(c1, wa),
    );
    sum = f64x2.add(sum, f64x2.mul(wb, wb));
    x2 = in1;
    x1 = in2;
    y2 = ya;
    y1 = yb;
    z2 = wa;
    z1 = wb;
  }
  if (i < n) {
    const at = (<usize>i) << 2;
    const input = f64x2.replace_lane(f64x2.splat(<f64>load<f32>(left + at)), 1, <f64>load<f32>(right + at));
    const y = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, input), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)),
      f64x2.mul(a1, y1),
    );
    const w = f64x2.sub(
      f64x2.sub(f64x2.add(f64x2.sub(y, f64x2.mul(two, y1)), y2), f64x2.mul(c2, z2)),
      f64x2.mul(c1, z1),
    );
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
