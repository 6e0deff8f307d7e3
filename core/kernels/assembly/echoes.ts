import { flush2 } from "./states";

/**
 * Repeats of two channels that feed each other. ring: left and right of each of `size` frames side by side, f32, read
 * between them by a cubic through the four around (Catmull-Rom). counts, i32: 0 place in the ring, 1 run of frames in
 * which nothing went in, no further than the size. p, f64: 0 delay, 1 its change a frame; 2, 3 feedback; 4, 5 how much
 * of it crosses sides; 6, 7 wet; 8 damping; 10, 11 low-pass states left and right.
 */
export function repeat(left: usize, right: usize, n: i32, ring: usize, size: i32, counts: usize, p: usize): void {
  let t = load<f64>(p),
    f = load<f64>(p, 16),
    c = load<f64>(p, 32),
    w = load<f64>(p, 48);
  const tStep = load<f64>(p, 8),
    fStep = load<f64>(p, 24),
    cStep = load<f64>(p, 40),
    wStep = load<f64>(p, 56);
  const damp = v128.load64_splat(p, 64),
    pass = f64x2.splat(1 - load<f64>(p, 64));
  let low = v128.load(p, 80);
  let head = load<i32>(counts),
    run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const place = (<usize>i) << 2;
    t += tStep;
    f += fStep;
    c += cStep;
    w += wStep;
    const input = f64x2.promote_low_f32x4(
      i32x4.shuffle(v128.load32_zero(left + place), v128.load32_zero(right + place), 0, 4, 0, 4),
    );
    // Read before anything goes in, so a delay of t is t - 1 frames before the last that did.
    const back = t - 1;
    const steps = floor(back);
    const x = f64x2.splat(back - steps);
    let at = head - 1 - <i32>steps;
    if (at < 0) at += size;
    const newer = at + 1 >= size ? at + 1 - size : at + 1,
      old1 = at - 1 < 0 ? at - 1 + size : at - 1,
      old2 = at - 2 < 0 ? at - 2 + size : at - 2;
    const p0 = f64x2.promote_low_f32x4(v128.load64_zero(ring + ((<usize>newer) << 3))),
      p1 = f64x2.promote_low_f32x4(v128.load64_zero(ring + ((<usize>at) << 3)));
    const p2 = f64x2.promote_low_f32x4(v128.load64_zero(ring + ((<usize>old1) << 3))),
      p3 = f64x2.promote_low_f32x4(v128.load64_zero(ring + ((<usize>old2) << 3)));
    const read = cubic2(p0, p1, p2, p3, x);
    low = flush2(f64x2.add(f64x2.mul(read, pass), f64x2.mul(low, damp)));
    const other = i64x2.shuffle(low, low, 1, 0);
    const fed = flush2(
      f64x2.add(
        input,
        f64x2.mul(f64x2.splat(f), f64x2.add(f64x2.mul(low, f64x2.splat(1 - c)), f64x2.mul(other, f64x2.splat(c)))),
      ),
    );
    v128.store64_lane(ring + ((<usize>head) << 3), f32x4.demote_f64x2_zero(fed), 0);
    head = head + 1 == size ? 0 : head + 1;
    run = v128.any_true(f64x2.ne(fed, f64x2.splat(0))) ? 0 : min(run + 1, size);
    const out = f32x4.demote_f64x2_zero(
      f64x2.add(f64x2.mul(input, f64x2.splat(1 - w)), f64x2.mul(low, f64x2.splat(w))),
    );
    v128.store32_lane(left + place, out, 0);
    v128.store32_lane(right + place, out, 1);
  }
  store<i32>(counts, head);
  store<i32>(counts, run, 4);
  v128.store(p, low, 80);
}

// @ts-ignore: decorator
@inline
function cubic2(p0: v128, p1: v128, p2: v128, p3: v128, x: v128): v128 {
  const bend = f64x2.sub(f64x2.add(f64x2.mul(f64x2.splat(3), f64x2.sub(p1, p2)), p3), p0);
  const curve = f64x2.sub(
    f64x2.add(f64x2.sub(f64x2.mul(f64x2.splat(2), p0), f64x2.mul(f64x2.splat(5), p1)), f64x2.mul(f64x2.splat(4), p2)),
    p3,
  );
  return f64x2.add(
    p1,
    f64x2.mul(
      f64x2.mul(f64x2.splat(0.5), x),
      f64x2.add(f64x2.sub(p2, p0), f64x2.mul(x, f64x2.add(curve, f64x2.mul(x, bend)))),
    ),
  );
}

// @ts-ignore: decorator
@inline
function back(at: i32, steps: i32, size: i32): usize {
  const place = at - steps;
  return (<usize>(place < 0 ? place + size : place)) << 3;
}

/**
 * Left as it was at one delay and right as it was at another, from a ring that holds both side by side, `head` being
 * where the next goes.
 */
// @ts-ignore: decorator
@inline
function readApart(ring: usize, size: i32, head: i32, delayLeft: f64, delayRight: f64): v128 {
  const wholeLeft = floor(delayLeft),
    wholeRight = floor(delayRight);
  const l = head - <i32>wholeLeft,
    r = head - <i32>wholeRight;
  const newest = i32x4.shuffle(
    v128.load32_zero(ring + back(l, 0, size)),
    v128.load32_zero(ring + back(r, 0, size) + 4),
    0,
    4,
    1,
    5,
  );
  const newer = i32x4.shuffle(
    v128.load32_zero(ring + back(l, 1, size)),
    v128.load32_zero(ring + back(r, 1, size) + 4),
    0,
    4,
    1,
    5,
  );
  const older = i32x4.shuffle(
    v128.load32_zero(ring + back(l, 2, size)),
    v128.load32_zero(ring + back(r, 2, size) + 4),
    0,
    4,
    1,
    5,
  );
  const oldest = i32x4.shuffle(
    v128.load32_zero(ring + back(l, 3, size)),
    v128.load32_zero(ring + back(r, 3, size) + 4),
    0,
    4,
    1,
    5,
  );
  const x = f64x2.replace_lane(f64x2.splat(delayLeft - wholeLeft), 1, delayRight - wholeRight);
  return cubic2(
    f64x2.promote_low_f32x4(newest),
    f64x2.promote_low_f32x4(newer),
    f64x2.promote_low_f32x4(older),
    f64x2.promote_low_f32x4(oldest),
    x,
  );
}

/**
 * Two copies a side at delays of their own, at least one frame. ring: left and right of each of `size` frames side by
 * side, f32. counts, i32: 0 place in the ring, 1 run of silent frames that went in, no further than the size. p, f64: 0
 * wet, 1 its change a frame; then the same of the left's two delays and the right's two.
 */
export function copies(left: usize, right: usize, n: i32, ring: usize, size: i32, counts: usize, p: usize): void {
  let w = load<f64>(p),
    a = load<f64>(p, 16),
    b = load<f64>(p, 32),
    c = load<f64>(p, 48),
    d = load<f64>(p, 64);
  const wStep = load<f64>(p, 8),
    aStep = load<f64>(p, 24),
    bStep = load<f64>(p, 40),
    cStep = load<f64>(p, 56),
    dStep = load<f64>(p, 72);
  let head = load<i32>(counts),
    run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const at = (<usize>i) << 2;
    w += wStep;
    const both = i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5);
    v128.store64_lane(ring + ((<usize>head) << 3), both, 0);
    head = head + 1 == size ? 0 : head + 1;
    run = v128.any_true(f32x4.ne(both, f32x4.splat(0))) ? 0 : min(run + 1, size);
    const wet = f64x2.mul(
      f64x2.splat(0.6 * w),
      f64x2.add(readApart(ring, size, head, a, c), readApart(ring, size, head, b, d)),
    );
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
