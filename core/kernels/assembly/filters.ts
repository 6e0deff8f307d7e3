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
