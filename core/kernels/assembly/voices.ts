import { saturate4 } from "./saturation";

const CYCLE: f64 = 4294967296;

/** Phases of -1 to 1 by their distance from the lower end. */
// @ts-ignore: decorator
@inline
function level(place: f64): f64 {
  return place / 2147483648.0 - 1;
}

/** Most steps of a stretch, and most cycles of an oscillator in one: they bound how many edges there are. */
const MOST_STEPS: i32 = 128;
const MOST_CYCLES: f64 = 12;

/**
 * Where things stand in a voice's edges: jumps and, behind them, kinks at each step; heads of the lists, their number;
 * what has jumped and kinked so far, and kinked times when; the slope of the sub oscillator by now; the lists.
 */
const KINKS: usize = 16 * (128 + 2);
const HEADS: usize = 2 * KINKS;
const COUNT: usize = HEADS + 4 * 128;
const JUMPED: usize = COUNT + 16;
const KINKED: usize = JUMPED + 16;
const KINKED_WHEN: usize = KINKED + 16;
const LOW_SLOPE: usize = KINKED_WHEN + 16;
const LISTS: usize = LOW_SLOPE + 16;
const ENTRY: usize = 56;

/**
 * What rounds edges off is summed apart from what it is added to, so that it does not matter where a stretch is cut.
 * Where it begins in the buffer, in bytes.
 */
const ROUNDING: usize = 8 * (128 + 18);

/** Half the taps that round an edge off, rows of the table to a step, and bytes of a row for one derivative. */
const EDGE_HALF: i32 = 8;
const EDGE_ROWS: f64 = 128;
const EDGE_BYTES: usize = 64;

/** A cycle is all an i32 can hold. */
// @ts-ignore: decorator
@inline
function phaseStep(cycles: f64, steps: i32): i32 {
  return <i32>(min(MOST_CYCLES / <f64>steps, cycles) * CYCLE);
}

/**
 * Puts an edge into the list of the step it comes before, which goes by time. beyond: how far before that step it lies,
 * from 0 to 1; jumps, kinks: of both sides, in the line and its slope; turn: how the slope of the sub
 * oscillator changes a step.
 */
function addEdge(edges: usize, step: i32, beyond: f64, jumps: v128, kinks: v128, turn: f64): void {
  const count = load<i32>(edges, COUNT);
  store<i32>(edges, count + 1, COUNT);
  const entry = edges + LISTS + ENTRY * <usize>count;
  store<f64>(entry, beyond);
  v128.store(entry, jumps, 8);
  v128.store(entry, kinks, 24);
  store<f64>(entry, turn, 40);
  let link = edges + HEADS + <usize>(step << 2);
  let next = load<i32>(link);
  while (next >= 0) {
    const other = edges + LISTS + ENTRY * <usize>next;
    if (load<f64>(other) < beyond) break;
    link = other + 48;
    next = load<i32>(link);
  }
  store<i32>(entry, next, 48);
  store<i32>(link, count);
}

/**
 * The edges of one saw within `steps` steps: it falls by two where its cycle ends. place: how far in its cycle it was
 * one step before the first; gain: of the saw, and gainStep: its change a step.
 */
function addEdges(edges: usize, steps: i32, place: f64, step: f64, sides: v128, gain: f64, gainStep: f64): void {
  const last = place + <f64>steps * step;
  const kinks = f64x2.mul(sides, f64x2.splat(-2 * gainStep));
  for (let edge = CYCLE; edge <= last; edge += CYCLE) {
    const first = max<f64>(1, ceil((edge - place) / step));
    const beyond = max<f64>(0, (place + first * step - edge) / step);
    const jump = f64x2.mul(sides, f64x2.splat(-2 * (gain + gainStep * (first - beyond))));
    const at = edges + ((<usize>(<i32>first - 1)) << 4);
    v128.store(at, f64x2.add(v128.load(at), f64x2.add(jump, f64x2.mul(kinks, f64x2.splat(beyond)))));
    v128.store(at, f64x2.add(v128.load(at, KINKS), kinks), KINKS);
    addEdge(edges, <i32>first - 1, beyond, jump, kinks, 0);
  }
}

/**
 * Begins a stretch of a synthesiser's voice: the sum of its saws is a straight line but for their edges, which are few;
 * so the work is one an edge and not one a saw and step. Puts the line into the voice, its jumps and edges into
 * `edges`, and carries the phases on to the end of the stretch. A pulse that moves makes it a parabola, whose slope has
 * kinks.
 * steps: at most 128. oscillators: 12 bytes each: phase (i32), gains left and right (f32). voice: see `synthVoice`.
 * cycles: what the voice goes round in a step; ratios, f64: each oscillator's share of it. pulse, and pulseStep: how
 * much of the same saws, half a cycle later, is taken off. sub: level of the sub oscillator. edges: 32 bytes a step for
 * the jumps and kinks of both sides (130), 4 a step for the first edge before it (128), their number, what has been so
 * far, and 56 bytes an edge: when, jumps and kinks of both sides, turn of the sub oscillator, the next.
 */
export function synthLines(
  steps: i32,
  count: i32,
  oscillators: usize,
  ratios: usize,
  cycles: f64,
  voice: usize,
  edges: usize,
  pulse: f64,
  pulseStep: f64,
  sub: f64,
): void {
  const zero = f64x2.splat(0);
  for (let s = 0; s < steps + 2; s++) {
    v128.store(edges + ((<usize>s) << 4), zero);
    v128.store(edges + ((<usize>s) << 4), zero, KINKS);
  }
  // None, four at a time; there is room for as many as a stretch may have.
  for (let s = 0; s < steps; s += 4) v128.store(edges + ((<usize>s) << 2), i32x4.splat(-1), HEADS);
  store<i32>(edges, 0, COUNT);
  v128.store(edges, zero, JUMPED);
  v128.store(edges, zero, KINKED);
  v128.store(edges, zero, KINKED_WHEN);
  const pulseEnd = pulse + pulseStep * <f64>steps;
  let rise = zero;
  let line = zero;
  let slope = zero;
  for (let k = 0; k < count; k++) {
    const o = oscillators + <usize>(12 * k);
    const wholeStep = phaseStep(cycles * load<f64>(ratios + ((<usize>k) << 3)), steps);
    const phase = load<i32>(o);
    const step = <f64>wholeStep;
    const gains = f64x2.promote_low_f32x4(v128.load64_zero(o, 4));
    const place = <f64>((<u32>phase) ^ 0x80000000);
    line = f64x2.add(line, f64x2.mul(gains, f64x2.splat(level(place))));
    slope = f64x2.add(slope, f64x2.mul(gains, f64x2.splat(step / 2147483648.0)));
    addEdges(edges, steps, place, step, gains, 1, 0);
    if (pulse > 0 || pulseEnd > 0) {
      const later = <f64>(<u32>phase);
      addEdges(edges, steps, later, step, gains, -pulse, -pulseStep);
      const up = step / 2147483648.0;
      line = f64x2.sub(line, f64x2.mul(gains, f64x2.splat(pulse * level(later))));
      slope = f64x2.sub(slope, f64x2.mul(gains, f64x2.splat(pulse * up + pulseStep * level(later))));
      rise = f64x2.sub(rise, f64x2.mul(gains, f64x2.splat(2 * pulseStep * up)));
    }
    store<i32>(o, phase + steps * wholeStep);
  }
  v128.store(voice, line, 112);
  v128.store(voice, slope, 128);
  v128.store(voice, line, 160);
  // From step to step the line goes by its slope in the middle between.
  v128.store(voice, f64x2.add(slope, f64x2.mul(rise, f64x2.splat(0.5))), 176);
  v128.store(voice, rise, 192);
  const lowStep = phaseStep(cycles * 0.5, steps),
    low = load<i32>(voice, 152);
  store<i32>(voice, lowStep, 144);
  store<i32>(voice, low, 148);
  store<i32>(voice, low + steps * lowStep, 152);
  const lowSlope = (<f64>lowStep / 1073741824.0) * sub;
  store<f64>(edges, low < 0 ? -lowSlope : lowSlope, LOW_SLOPE);
  if (sub <= 0) return;
  // The triangle turns where its phase passes 0, and half a cycle later.
  const turn = 2 * lowSlope;
  const place = <f64>(<u32>low);
  const last = place + <f64>steps * <f64>lowStep;
  let up = place < 2147483648.0 ? false : true;
  for (let edge: f64 = up ? CYCLE : 2147483648.0; edge <= last; edge += 2147483648.0) {
    const first = max<f64>(1, ceil((edge - place) / <f64>lowStep));
    const beyond = max<f64>(0, (place + first * <f64>lowStep - edge) / <f64>lowStep);
    addEdge(edges, <i32>first - 1, beyond, zero, zero, up ? turn : -turn);
    up = !up;
  }
}

// @ts-ignore: decorator
@inline
function between(row: usize, part: v128): v128 {
  const a = v128.load(row);
  return f32x4.add(a, f32x4.mul(part, f32x4.sub(v128.load(row, 192), a)));
}

/**
 * Adds what rounds an edge off to 16 steps from `at` on: its jumps in value, slope and bend, each left, right, left,
 * right, times their rows.
 */
function roundOff(at: usize, row: usize, part: v128, values: v128, slopes: v128, turns: v128): void {
  for (let k: usize = 0; k < 64; k += 16) {
    const here = row + k;
    const v = between(here, part),
      s = between(here + 64, part),
      t = between(here + 128, part);
    const to = at + (k << 1);
    const near = f32x4.add(
      f32x4.add(
        f32x4.mul(values, i32x4.shuffle(v, v, 0, 0, 1, 1)),
        f32x4.mul(slopes, i32x4.shuffle(s, s, 0, 0, 1, 1)),
      ),
      f32x4.mul(turns, i32x4.shuffle(t, t, 0, 0, 1, 1)),
    );
    const far = f32x4.add(
      f32x4.add(
        f32x4.mul(values, i32x4.shuffle(v, v, 2, 2, 3, 3)),
        f32x4.mul(slopes, i32x4.shuffle(s, s, 2, 2, 3, 3)),
      ),
      f32x4.mul(turns, i32x4.shuffle(t, t, 2, 2, 3, 3)),
    );
    v128.store(to, f32x4.add(v128.load(to), near));
    v128.store(to, f32x4.add(v128.load(to, 16), far), 16);
  }
}

// @ts-ignore: decorator
@inline
function curves(value: v128): v128 {
  const x = f64x2.max(f64x2.splat(-3), f64x2.min(f64x2.splat(3), value));
  const z = f64x2.mul(x, x);
  return f64x2.div(
    f64x2.mul(x, f64x2.add(f64x2.splat(27), z)),
    f64x2.add(f64x2.splat(27), f64x2.mul(f64x2.splat(9), z)),
  );
}

/** The curve's slope is the square of its bow: (9 - z) / (9 + 3 z), and 0 from 3 on. */
// @ts-ignore: decorator
@inline
function bows(z: v128, inside: v128): v128 {
  return v128.and(
    inside,
    f64x2.div(f64x2.sub(f64x2.splat(9), z), f64x2.add(f64x2.splat(9), f64x2.mul(f64x2.splat(3), z))),
  );
}

/** How the curve's slope changes: twice the bow and its own slope. */
// @ts-ignore: decorator
@inline
function bends(x: v128, z: v128, bow: v128, inside: v128): v128 {
  const more = f64x2.add(f64x2.splat(3), z);
  return v128.and(
    inside,
    f64x2.mul(
      f64x2.mul(f64x2.splat(2), bow),
      f64x2.div(f64x2.mul(f64x2.splat(-8), x), f64x2.mul(more, more)),
    ),
  );
}

/** Two numbers as left, right, left, right. */
// @ts-ignore: decorator
@inline
function twice(x: v128): v128 {
  const y = f32x4.demote_f64x2_zero(x);
  return i32x4.shuffle(y, y, 0, 1, 0, 1);
}

/** The edges of `steps` steps from step `from` on, rounded off behind the curve: what they change there is known. */
function roundEdges(steps: i32, from: i32, voice: usize, edges: usize, buffer: usize, table: usize, sub: f64): void {
  const loud = load<f64>(voice),
    louder = load<f64>(voice, 8);
  const lowStep = <f64>load<i32>(voice, 144);
  for (let s = from; s < from + steps; s++) {
    // Most steps have none: look at four heads at once. Behind the last of a stretch stand older ones, or nothing.
    while (s + 4 <= from + steps && !v128.any_true(v128.not(v128.load(edges + ((<usize>s) << 2), HEADS)))) s += 4;
    if (s === from + steps) break;
    for (let next = load<i32>(edges + ((<usize>s) << 2), HEADS); next >= 0;) {
      const entry = edges + LISTS + ENTRY * <usize>next;
      next = load<i32>(entry, 48);
      const beyond = load<f64>(entry);
      const turn = load<f64>(entry, 40);
      const time = <f64>(s + 1) - beyond;
      const gain = loud + louder * time;
      let low = <f64>(load<i32>(voice, 148) + load<i32>(voice, 144) * (s + 1)) - beyond * lowStep;
      if (low < -2147483648.0) low += CYCLE;
      const triangle = (Math.abs(low / 1073741824.0) - 1) * sub;
      const before = load<f64>(edges, LOW_SLOPE);
      const after = before + turn;
      store<f64>(edges, after, LOW_SLOPE);
      const x = beyond * EDGE_ROWS;
      const row = table + <usize>(<i32>x) * 3 * EDGE_BYTES;
      const part = <f32>(x - floor(x));
      const jump = v128.load(entry, 8);
      const kink = v128.load(entry, 24);
      const jumped = v128.load(edges, JUMPED);
      const kinked = v128.load(edges, KINKED);
      const kinkedWhen = v128.load(edges, KINKED_WHEN);
      const rise = v128.load(voice, 192);
      const times = f64x2.splat(time);
      // The line, its slope and what has come to them, as far as to this edge, and beyond it.
      const risen = f64x2.mul(rise, times);
      const even = f64x2.add(v128.load(voice, 128), kinked);
      const slope = f64x2.add(even, risen);
      const steep = f64x2.add(slope, kink);
      const line = f64x2.add(
        f64x2.sub(f64x2.add(v128.load(voice, 160), jumped), kinkedWhen),
        f64x2.mul(f64x2.add(even, f64x2.mul(risen, f64x2.splat(0.5))), times),
      );
      const level = f64x2.add(line, f64x2.splat(triangle));
      const above = f64x2.add(level, jump);
      v128.store(edges, f64x2.add(jumped, jump), JUMPED);
      v128.store(edges, f64x2.add(kinked, kink), KINKED);
      v128.store(edges, f64x2.add(kinkedWhen, f64x2.mul(kink, times)), KINKED_WHEN);
      const gains = f64x2.splat(gain),
        change = f64x2.splat(louder);
      const a = f64x2.mul(gains, level),
        b = f64x2.mul(gains, above);
      const aSlope = f64x2.add(f64x2.mul(gains, f64x2.add(slope, f64x2.splat(before))), f64x2.mul(change, level)),
        bSlope = f64x2.add(f64x2.mul(gains, f64x2.add(steep, f64x2.splat(after))), f64x2.mul(change, above));
      const aa = f64x2.mul(a, a),
        bb = f64x2.mul(b, b);
      const aIn = f64x2.lt(aa, f64x2.splat(9)),
        bIn = f64x2.lt(bb, f64x2.splat(9));
      const aBow = bows(aa, aIn),
        bBow = bows(bb, bIn);
      roundOff(
        buffer + ((<usize>s) << 3),
        row,
        f32x4.splat(part),
        twice(f64x2.sub(curves(b), curves(a))),
        twice(f64x2.sub(f64x2.mul(f64x2.mul(bBow, bBow), bSlope), f64x2.mul(f64x2.mul(aBow, aBow), aSlope))),
        twice(
          f64x2.sub(
            f64x2.mul(f64x2.mul(bends(b, bb, bBow, bIn), bSlope), bSlope),
            f64x2.mul(f64x2.mul(bends(a, aa, aBow, aIn), aSlope), aSlope),
          ),
        ),
      );
    }
  }
}

/**
 * `steps` steps of one voice of the synthesiser from step `from` of its stretch on, added to two channels: line and sub
 * oscillator, driven, through the filter, which is the trapezoidal state-variable low-pass written as a matrix: s1' = a
 * s1 + p (x - s2), s2' = s2 + p s1 + q (x - s2), out = (s2 + s2') / 2. It does not matter where a stretch is cut.
 * What is driven has edges, at times known exactly, and so has what comes of it: the band-limited step and its integrals
 * (V. Valimaki, A. Huovilainen, IEEE SPM 24(2), 2007; F. Esqueda, V. Valimaki, S. Bilbao, IEEE SPL 23(10), 2016) stand
 * for them behind the curve. All is late by EDGE_HALF steps for it.
 * voice, f64: 0 level where the stretch begins, 1 its change a step; 2, 3 a; 4, 5 p; 6, 7 q; 8, 9 half the output gain,
 * each with its change; 10-13 filter states l1 r1 l2 r2; 14, 15 the line, 16, 17 its slope where the stretch begins; then, i32, the sub
 * oscillator's phase step, its phase where the stretch begins, and where it ends; 20, 21 the line where the stretch
 * began; 22, 23 the slope from this step to the next; 24, 25 its change a step. buffer: twice 8 bytes a step, each for 18 steps more than the 128 of a stretch. `unit` is 1.
 */
export function synthVoice(
  left: usize,
  right: usize,
  steps: i32,
  from: i32,
  voice: usize,
  edges: usize,
  buffer: usize,
  table: usize,
  sub: f32,
  unit: f32,
): void {
  let line = v128.load(voice, 112);
  let slope = v128.load(voice, 176);
  const rise = v128.load(voice, 192);
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
  let jump = edges + ((<usize>from) << 4);
  let out = buffer + ((<usize>EDGE_HALF) << 3);
  let one = line,
    other = line,
    steep = slope;
  // Two steps at a time; the second of the last two may be one too many, and is not kept.
  for (let s = 0; s < steps; s += 2) {
    line = other;
    one = f64x2.add(line, f64x2.add(slope, v128.load(jump)));
    steep = slope = f64x2.add(slope, f64x2.add(rise, v128.load(jump, KINKS)));
    other = f64x2.add(one, f64x2.add(slope, v128.load(jump, 16)));
    slope = f64x2.add(slope, f64x2.add(rise, v128.load(jump, KINKS + 16)));
    let both = i64x2.shuffle(f32x4.demote_f64x2_zero(one), f32x4.demote_f64x2_zero(other), 0, 2);
    both = f32x4.add(both, f32x4.mul(f32x4.sub(f32x4.abs(f32x4.mul(f32x4.convert_i32x4_s(low), half)), ones), subs));
    both = saturate4(f32x4.mul(both, f32x4.add(loud, f32x4.mul(louder, along))), least, most, nine, all);
    v128.store(out, both);
    low = i32x4.add(low, lowTwice);
    along = f32x4.add(along, two);
    jump += 32;
    out += 16;
  }
  v128.store(voice, steps & 1 ? one : other, 112);
  v128.store(voice, steps & 1 ? steep : slope, 176);
  // Where an edge lies in the stretch and where in the buffer differ by what was done of the stretch before.
  const rounding = buffer + ROUNDING;
  roundEdges(steps, from, voice, edges, rounding - ((<usize>from) << 3), table, <f64>sub);
  const done = (<usize>steps) << 3;
  let at: usize = 0;
  for (; at + 16 <= done; at += 16)
    v128.store(buffer + at, f32x4.add(v128.load(buffer + at), v128.load(rounding + at)));
  if (at < done)
    v128.store64_lane(buffer + at, f32x4.add(v128.load64_zero(buffer + at), v128.load64_zero(rounding + at)), 0);
  throughFilter(left, right, steps, voice, buffer);
  for (at = 0; at < 8 * <usize>EDGE_HALF; at += 16) v128.store(buffer + at, v128.load(buffer + done + at));
  for (at = 0; at < 16 * <usize>EDGE_HALF; at += 16) v128.store(rounding + at, v128.load(rounding + done + at));
  for (; at < 16 * <usize>EDGE_HALF + done; at += 8) store<u64>(rounding + at, 0);
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
