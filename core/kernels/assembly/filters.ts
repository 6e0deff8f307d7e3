import { QUANTUM, alive } from "./states";

/**
 * One second-order section over two channels. k: b0 b1 b2 a1 a2; z: l1 r1 l2 r2, the states of the transposed direct
 * form II. They are used for the first two frames of a quantum only; the others are made of the inputs and outputs
 * before them (direct form I), where each sample waits for one product and one difference of the one before. A section
 * that is flat stays with its states: there it gives its input to the bit. Two frames at a time, left and right side by
 * side.
 */
export function biquad(left: usize, right: usize, frames: i32, k: usize, z: usize): void {
  const b0 = v128.load64_splat(k),
    b1 = v128.load64_splat(k, 8),
    b2 = v128.load64_splat(k, 16),
    a1 = v128.load64_splat(k, 24),
    a2 = v128.load64_splat(k, 32);
  const flat = load<f64>(k) == 1 && load<f64>(k, 8) == load<f64>(k, 24) && load<f64>(k, 16) == load<f64>(k, 32);
  const first = flat ? QUANTUM : 2;
  let z1 = v128.load(z),
    z2 = v128.load(z, 16);
  for (let from = 0; from < frames; from += QUANTUM) {
    let x1 = z1,
      x2 = z1,
      y1 = z1,
      y2 = z1;
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
        y2 = f64x2.sub(
          f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, x), f64x2.mul(b1, x1)), f64x2.mul(b2, x2)), f64x2.mul(a2, y2)),
          f64x2.mul(a1, y1),
        );
        const next = f64x2.promote_low_f32x4(i64x2.shuffle(pair, pair, 1, 1));
        y1 = f64x2.sub(
          f64x2.sub(f64x2.add(f64x2.add(f64x2.mul(b0, next), f64x2.mul(b1, x)), f64x2.mul(b2, x1)), f64x2.mul(a2, y1)),
          f64x2.mul(a1, y2),
        );
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

/**
 * A state-variable filter in its trapezoidal form over two channels (V. Zavalishin, The Art of VA Filter Design, ch. 4).
 * z: the two states of the left channel, then of the right one. Coefficient, damping and wet part move by a step before
 * each frame. shape: low, band or high pass. Whole quanta; left and right side by side.
 */
export function sweep(
  left: usize,
  right: usize,
  frames: i32,
  z: usize,
  coefficient: f64,
  coefficientStep: f64,
  damping: f64,
  dampingStep: f64,
  wet: f64,
  wetStep: f64,
  shape: i32,
): void {
  const zLeft = v128.load(z),
    zRight = v128.load(z, 16);
  let s1 = i64x2.shuffle(zLeft, zRight, 0, 2),
    s2 = i64x2.shuffle(zLeft, zRight, 1, 3);
  let g = coefficient,
    k = damping,
    w = wet;
  for (let from = 0; from < frames; from += QUANTUM) {
    for (let i = from; i < from + QUANTUM; i++) {
      g += coefficientStep;
      k += dampingStep;
      w += wetStep;
      const at = (<usize>i) << 2;
      const both = f32x4.replace_lane(v128.load32_zero(left + at), 1, load<f32>(right + at));
      const input = f64x2.promote_low_f32x4(both);
      const gs = f64x2.splat(g);
      const high = f64x2.div(
        f64x2.sub(f64x2.sub(input, f64x2.mul(f64x2.splat(g + k), s1)), s2),
        f64x2.splat(1 + g * (g + k)),
      );
      const up = f64x2.mul(gs, high);
      const band = f64x2.add(up, s1);
      const across = f64x2.mul(gs, band);
      const low = f64x2.add(across, s2);
      s1 = f64x2.add(up, band);
      s2 = f64x2.add(across, low);
      const out = shape == 0 ? low : shape == 1 ? f64x2.mul(band, f64x2.splat(k)) : high;
      const heard = f32x4.demote_f64x2_zero(f64x2.add(input, f64x2.mul(f64x2.splat(w), f64x2.sub(out, input))));
      v128.store32_lane(left + at, heard, 0);
      v128.store32_lane(right + at, heard, 1);
    }
    const s = alive(s1, s2);
    s1 = v128.and(s1, s);
    s2 = v128.and(s2, s);
  }
  v128.store(z, i64x2.shuffle(s1, s2, 0, 2));
  v128.store(z, i64x2.shuffle(s1, s2, 1, 3), 16);
}

/** Two frames of both channels: left, right, left, right. */
// @ts-ignore: decorator
@inline
function sideBySide(left: usize, right: usize, i: i32): v128 {
  const at = (<usize>i) << 2;
  return i32x4.shuffle(v128.load64_zero(left + at), v128.load64_zero(right + at), 0, 4, 1, 5);
}

// @ts-ignore: decorator
@inline
export function apart(left: usize, right: usize, i: i32, first: v128, second: v128): void {
  const at = (<usize>i) << 2;
  const out = i32x4.shuffle(f32x4.demote_f64x2_zero(first), f32x4.demote_f64x2_zero(second), 0, 4, 1, 5);
  v128.store64_lane(left + at, out, 0);
  v128.store64_lane(right + at, out, 1);
}
