import { saturate4 } from "./saturation";

const CYCLE: f64 = 4294967296;

/** Phases of -1 to 1 by their distance from the lower end. */
// @ts-ignore: decorator
@inline
function level(place: f64): f64 {
  return place / 2147483648.0 - 1;
}

/** A cycle is all an i32 can hold. Above nine twentieths of the rate nothing goes round any faster. */
// @ts-ignore: decorator
@inline
function phaseStep(cycles: f64): i32 {
  return <i32>(min(0.45, cycles) * CYCLE);
}

/**
 * The jumps of one saw within `steps` steps: what they change from one step to the next, added to `jumps`. A saw falls
 * by two where its cycle ends; the steps before and after are rounded off by a parabola. place: how far in its cycle
 * the saw was one step before the first.
 */
function addJumps(jumps: usize, steps: i32, place: f64, step: f64, gains: v128): void {
  const last = place + <f64>(steps + 1) * step;
  for (let edge = CYCLE; edge <= last; edge += CYCLE) {
    const first = ceil((edge - place) / step);
    const beyond = (place + first * step - edge) / step;
    const after = f64x2.mul(gains, f64x2.splat((1 - beyond) * (1 - beyond)));
    const at = jumps + ((<usize>(<i32>first - 1)) << 4);
    v128.store(at, f64x2.add(v128.load(at), f64x2.sub(after, f64x2.add(gains, gains))));
    v128.store(at, f64x2.sub(v128.load(at, 16), after), 16);
    if (first > 1) {
      const before = f64x2.mul(gains, f64x2.splat(beyond * beyond));
      v128.store(at - 16, f64x2.sub(v128.load(at - 16), before));
      v128.store(at, f64x2.add(v128.load(at), before));
    }
  }
}

/**
 * Begins a stretch of a synthesiser's voice: the sum of its band-limited saws is a straight line but for their jumps,
 * which are few; so the work is one a jump and not one a saw and step. Puts the line into the voice, the jumps into
 * `jumps` (steps + 2 pairs), and carries the phases on to the end of the stretch.
 * oscillators: 12 bytes each: phase (i32), gains left and right (f32). voice: see `synthVoice`. cycles: what the voice
 * goes round in a step; ratios, f64: each oscillator's share of it. pulse: how much of the same saws, half a cycle
 * later, is taken off.
 */
export function synthLines(
  steps: i32,
  count: i32,
  oscillators: usize,
  ratios: usize,
  cycles: f64,
  voice: usize,
  jumps: usize,
  pulse: f64,
): void {
  const zero = f64x2.splat(0);
  for (let s = 0; s < steps + 2; s++) v128.store(jumps + ((<usize>s) << 4), zero);
  let line = zero;
  let slope = zero;
  for (let k = 0; k < count; k++) {
    const o = oscillators + <usize>(12 * k);
    const wholeStep = phaseStep(cycles * load<f64>(ratios + ((<usize>k) << 3)));
    const phase = load<i32>(o);
    const step = <f64>wholeStep;
    const gains = f64x2.promote_low_f32x4(v128.load64_zero(o, 4));
    const place = <f64>((<u32>phase) ^ 0x80000000);
    line = f64x2.add(line, f64x2.mul(gains, f64x2.splat(level(place))));
    slope = f64x2.add(slope, f64x2.mul(gains, f64x2.splat(step / 2147483648.0)));
    addJumps(jumps, steps, place, step, gains);
    if (pulse > 0) {
      const less = f64x2.mul(gains, f64x2.splat(-pulse));
      const later = <f64>(<u32>phase);
      line = f64x2.add(line, f64x2.mul(less, f64x2.splat(level(later))));
      slope = f64x2.add(slope, f64x2.mul(less, f64x2.splat(step / 2147483648.0)));
      addJumps(jumps, steps, later, step, less);
    }
    store<i32>(o, phase + steps * wholeStep);
  }
  v128.store(voice, line, 112);
  v128.store(voice, slope, 128);
  const lowStep = phaseStep(cycles * 0.5),
    low = load<i32>(voice, 152);
  store<i32>(voice, lowStep, 144);
  store<i32>(voice, low, 148);
  store<i32>(voice, low + steps * lowStep, 152);
}

/**
 * `steps` steps of one voice of the synthesiser from step `from` of its stretch on, added to two channels: line and sub
 * oscillator, driven, through the filter, which is the trapezoidal state-variable low-pass written as a matrix: s1' = a
 * s1 + p (x - s2), s2' = s2 + p s1 + q (x - s2), out = (s2 + s2') / 2. It does not matter where a stretch is cut.
 * voice, f64: 0 level where the stretch begins, 1 its change a step; 2, 3 a; 4, 5 p; 6, 7 q; 8, 9 half the output gain,
 * each with its change; 10-13 filter states l1 r1 l2 r2; 14, 15 the line, 16, 17 its slope; then, i32, the sub
 * oscillator's phase step, its phase where the stretch begins, and where it ends. scratch: 8 bytes a step and 8 more.
 * `unit` is 1.
 */
export function synthVoice(
  left: usize,
  right: usize,
  steps: i32,
  from: i32,
  voice: usize,
  jumps: usize,
  scratch: usize,
  sub: f32,
  unit: f32,
): void {
  let line = v128.load(voice, 112);
  const slope = v128.load(voice, 128);
  const loud = f32x4.splat(<f32>load<f64>(voice)),
    louder = f32x4.splat(<f32>load<f64>(voice, 8));
  const lowStep = load<i32>(voice, 144);
  const count = i32x4.add(i32x4.splat(from), i32x4(1, 1, 2, 2));
  let low = i32x4.add(i32x4.splat(load<i32>(voice, 148)), i32x4.mul(i32x4.splat(lowStep), count));
  let along = f32x4.convert_i32x4_s(count);
  const lowTwice = i32x4.splat(lowStep << 1),
    two = f32x4.splat(2 * unit);
  const ones = f32x4.splat(unit),
    least = f32x4.splat(-3 * unit),
    most = f32x4.splat(3 * unit),
    nine = f32x4.splat(9 * unit),
    all = f32x4.splat(27 * unit);
  const subs = f32x4.splat(sub),
    half = f32x4.splat(unit / 1073741824);
  let jump = jumps + ((<usize>from) << 4);
  let out = scratch;
  let one: v128,
    other = line;
  // Two steps at a time; the second of the last two may be one too many, and is not kept.
  for (let s = 0; s < steps; s += 2) {
    line = other;
    one = f64x2.add(line, f64x2.add(slope, v128.load(jump)));
    other = f64x2.add(one, f64x2.add(slope, v128.load(jump, 16)));
    let both = i64x2.shuffle(f32x4.demote_f64x2_zero(one), f32x4.demote_f64x2_zero(other), 0, 2);
    both = f32x4.add(both, f32x4.mul(f32x4.sub(f32x4.abs(f32x4.mul(f32x4.convert_i32x4_s(low), half)), ones), subs));
    v128.store(out, saturate4(f32x4.mul(both, f32x4.add(loud, f32x4.mul(louder, along))), least, most, nine, all));
    low = i32x4.add(low, lowTwice);
    along = f32x4.add(along, two);
    jump += 32;
    out += 16;
  }
  v128.store(voice, steps & 1 ? f64x2.add(line, f64x2.add(slope, v128.load(jump - 32))) : other, 112);
  throughFilter(left, right, steps, voice, scratch);
}

/** The second half of a synthesiser's voice: everything in a straight line from step to step but the states. */
function throughFilter(left: usize, right: usize, steps: i32, voice: usize, scratch: usize): void {
  let a = v128.load64_splat(voice, 16),
    p = v128.load64_splat(voice, 32),
    q = v128.load64_splat(voice, 48),
    post = v128.load64_splat(voice, 64);
  const aStep = v128.load64_splat(voice, 24),
    pStep = v128.load64_splat(voice, 40),
    qStep = v128.load64_splat(voice, 56),
    postStep = v128.load64_splat(voice, 72);
  let s1 = v128.load(voice, 80);
  let s2 = v128.load(voice, 96);
  let x: v128, before: v128;
  let s = 0;
  for (; s + 4 <= steps; s += 4) {
    const at = (<usize>s) << 2;
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
    const near = i32x4.shuffle(y0, y1, 0, 4, 1, 5),
      far = i32x4.shuffle(y2, y3, 0, 4, 1, 5);
    v128.store(left + at, f32x4.add(v128.load(left + at), i64x2.shuffle(near, far, 0, 2)));
    v128.store(right + at, f32x4.add(v128.load(right + at), i64x2.shuffle(near, far, 1, 3)));
  }
  for (; s < steps; s++) {
    const at = (<usize>s) << 2;
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
 * Six decaying modes as two-pole resonators, added to two channels. modes, f64: six each of c1, c2, last and last but
 * one output; gains: left and right.
 */
export function resonate(left: usize, right: usize, n: i32, modes: usize, gainLeft: f64, gainRight: f64): void {
  const p0 = v128.load(modes),
    p1 = v128.load(modes, 16),
    p2 = v128.load(modes, 32);
  const q0 = v128.load(modes, 48),
    q1 = v128.load(modes, 64),
    q2 = v128.load(modes, 80);
  let a0 = v128.load(modes, 96),
    a1 = v128.load(modes, 112),
    a2 = v128.load(modes, 128);
  let b0 = v128.load(modes, 144),
    b1 = v128.load(modes, 160),
    b2 = v128.load(modes, 176);
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
    const at = (<usize>i) << 2;
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

/**
 * Two channels, each added to another at a gain that is multiplied by `keep` from frame to frame; returns what the gain
 * has come to.
 */
export function addFading(
  outLeft: usize,
  outRight: usize,
  left: usize,
  right: usize,
  n: i32,
  gain: f64,
  keep: f64,
): f64 {
  let g = gain;
  for (let i = 0; i < n; i++) {
    const at = (<usize>i) << 2;
    const x = f64x2.promote_low_f32x4(
      i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5),
    );
    const y = f64x2.promote_low_f32x4(
      i32x4.shuffle(v128.load32_zero(outLeft + at), v128.load32_zero(outRight + at), 0, 4, 1, 5),
    );
    const sum = f32x4.demote_f64x2_zero(f64x2.add(y, f64x2.mul(x, f64x2.splat(g))));
    v128.store32_lane(outLeft + at, sum, 0);
    v128.store32_lane(outRight + at, sum, 1);
    g *= keep;
  }
  return g;
}
