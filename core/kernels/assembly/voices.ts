import { saturate4 } from "./saturation";

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
