/** Largest magnitude in a block of two channels; NaN when any sample is none. frames is a multiple of 4. */
export function blockPeak(left: usize, right: usize, frames: i32): f64 {
  let peak = f32x4.splat(0);
  let poison = f32x4.splat(0);
  for (let at: usize = 0; at < (<usize>frames) << 2; at += 16) {
    const l = v128.load(left + at);
    const r = v128.load(right + at);
    poison = f32x4.add(poison, f32x4.add(f32x4.sub(l, l), f32x4.sub(r, r)));
    peak = f32x4.pmax(peak, f32x4.pmax(f32x4.abs(l), f32x4.abs(r)));
  }
  const p = max(
    max(f32x4.extract_lane(peak, 0), f32x4.extract_lane(peak, 1)),
    max(f32x4.extract_lane(peak, 2), f32x4.extract_lane(peak, 3)),
  );
  const n =
    f32x4.extract_lane(poison, 0) +
    f32x4.extract_lane(poison, 1) +
    f32x4.extract_lane(poison, 2) +
    f32x4.extract_lane(poison, 3);
  return <f64>p + <f64>n;
}

/** sum = input * gain, or sum += input * gain, in double; frames is a multiple of 4. */
export function addTo(sum: usize, input: usize, gain: f64, first: bool, frames: i32): void {
  const g = f64x2.splat(gain);
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + ((<usize>i) << 2));
    const at = sum + ((<usize>i) << 3);
    const low = f64x2.mul(f64x2.promote_low_f32x4(x), g);
    const high = f64x2.mul(
      f64x2.promote_low_f32x4(i8x16.shuffle(x, x, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15)),
      g,
    );
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
    const at = sum + ((<usize>i) << 3);
    const low = f32x4.demote_f64x2_zero(f64x2.add(v128.load(at), zero));
    const high = f32x4.demote_f64x2_zero(f64x2.add(v128.load(at, 16), zero));
    v128.store(
      out + ((<usize>i) << 2),
      i8x16.shuffle(low, high, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23),
    );
  }
}

/** out = input * gain, computed in double and rounded once; frames is a multiple of 4. */
export function scale(out: usize, input: usize, gain: f64, frames: i32): void {
  const g = f64x2.splat(gain);
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + ((<usize>i) << 2));
    const low = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(x), g));
    const high = f32x4.demote_f64x2_zero(
      f64x2.mul(
        f64x2.promote_low_f32x4(i8x16.shuffle(x, x, 8, 9, 10, 11, 12, 13, 14, 15, 8, 9, 10, 11, 12, 13, 14, 15)),
        g,
      ),
    );
    v128.store(
      out + ((<usize>i) << 2),
      i8x16.shuffle(low, high, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23),
    );
  }
}

/**
 * Gives what a ring of `length` samples holds from `head` on and puts the input in its place; `out` may be the input.
 */
export function hold(out: usize, input: usize, frames: i32, ring: usize, length: i32, head: i32): void {
  let place = head;
  for (let i = 0; i < frames;) {
    const n = min(frames - i, length - place);
    const from = input + ((<usize>i) << 2);
    const to = out + ((<usize>i) << 2);
    const held = ring + ((<usize>place) << 2);
    let k = 0;
    for (; k + 4 <= n; k += 4) {
      const at = (<usize>k) << 2;
      const oldest = v128.load(held + at);
      v128.store(held + at, v128.load(from + at));
      v128.store(to + at, oldest);
    }
    for (; k < n; k++) {
      const at = (<usize>k) << 2;
      const oldest = load<f32>(held + at);
      store<f32>(held + at, load<f32>(from + at));
      store<f32>(to + at, oldest);
    }
    i += n;
    place = place + n == length ? 0 : place + n;
  }
}

/**
 * A gain in a straight line through a quantum of 64 frames, of which `frames` are written from the `place`th on; all
 * counts are whole fours.
 */
export function glide(out: usize, input: usize, frames: i32, from: f64, change: f64, place: i32): void {
  const start = f64x2.splat(from),
    whole = f64x2.splat(change),
    quantum = f64x2.splat(1.0 / 64);
  let k = f64x2.add(f64x2.splat(<f64>place), f64x2(0, 1));
  for (let i = 0; i < frames; i += 4) {
    const x = v128.load(input + ((<usize>i) << 2));
    const next = f64x2.add(k, f64x2.splat(2));
    const g = f64x2.add(start, f64x2.mul(whole, f64x2.mul(k, quantum)));
    const h = f64x2.add(start, f64x2.mul(whole, f64x2.mul(next, quantum)));
    const low = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(x), g));
    const high = f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(i64x2.shuffle(x, x, 1, 0)), h));
    v128.store(out + ((<usize>i) << 2), i64x2.shuffle(low, high, 0, 2));
    k = f64x2.add(next, f64x2.splat(2));
  }
}

/** Copies numbers to a place apart from them, or before them; n is a multiple of 4. */
export function move(to: usize, from: usize, n: i32): void {
  for (let at: usize = 0; at < (<usize>n) << 2; at += 16) v128.store(to + at, v128.load(from + at));
}

/**
 * left = left * same + right * cross, and the other way round, in double; both factors move by a step before each
 * frame. frames is even.
 */
export function widen(
  left: usize,
  right: usize,
  frames: i32,
  same: f64,
  sameStep: f64,
  cross: f64,
  crossStep: f64,
): void {
  let s = same,
    c = cross;
  for (let i = 0; i < frames; i += 2) {
    const at = (<usize>i) << 2;
    const s1 = s + sameStep,
      c1 = c + crossStep;
    s = s1 + sameStep;
    c = c1 + crossStep;
    const l = f64x2.promote_low_f32x4(v128.load64_zero(left + at)),
      r = f64x2.promote_low_f32x4(v128.load64_zero(right + at));
    const own = f64x2.replace_lane(f64x2.splat(s1), 1, s),
      other = f64x2.replace_lane(f64x2.splat(c1), 1, c);
    const newLeft = f64x2.add(f64x2.mul(l, own), f64x2.mul(r, other)),
      newRight = f64x2.add(f64x2.mul(r, own), f64x2.mul(l, other));
    v128.store64_lane(left + at, f32x4.demote_f64x2_zero(newLeft), 0);
    v128.store64_lane(right + at, f32x4.demote_f64x2_zero(newRight), 0);
  }
}
