import { WHOLE } from "./states";

/** out = the louder channel's magnitude, in double; n is a multiple of 2. */
export function louder(out: usize, left: usize, right: usize, n: i32): void {
  for (let i = 0; i < n; i += 2) {
    const at = (<usize>i) << 2;
    const loud = f32x4.pmax(f32x4.abs(v128.load64_zero(left + at)), f32x4.abs(v128.load64_zero(right + at)));
    v128.store(out + ((<usize>i) << 3), f64x2.promote_low_f32x4(loud));
  }
}

/** Natural logarithm of two normal numbers above 0: `log` of core/math.ts. */
// @ts-ignore: decorator
@inline
function logPair(x: v128): v128 {
  const mantissa = v128.or(v128.and(x, i64x2.splat(0xfffffffffffff)), i64x2.splat(0x3ff0000000000000));
  // An exponent in the low bits of 2^52, taken as a number, is 2^52 more than itself.
  const plain = f64x2.sub(
    f64x2.sub(v128.or(i64x2.shr_u(x, 52), i64x2.splat(0x4330000000000000)), f64x2.splat(4503599627370496)),
    f64x2.splat(1023),
  );
  const large = f64x2.ge(mantissa, f64x2.splat(1.4142135623730951));
  const m = v128.bitselect(f64x2.mul(mantissa, f64x2.splat(0.5)), mantissa, large);
  const exponent = f64x2.add(plain, v128.and(large, f64x2.splat(1)));
  const one = f64x2.splat(1);
  const s = f64x2.div(f64x2.sub(m, one), f64x2.add(m, one));
  const z = f64x2.mul(s, s);
  let sum = f64x2.splat(0.043478260869565216);
  sum = f64x2.add(f64x2.splat(0.047619047619047616), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.05263157894736842), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.058823529411764705), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.06666666666666667), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.07692307692307693), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.09090909090909091), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.1111111111111111), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.14285714285714285), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.2), f64x2.mul(z, sum));
  sum = f64x2.add(f64x2.splat(0.3333333333333333), f64x2.mul(z, sum));
  sum = f64x2.add(one, f64x2.mul(z, sum));
  return f64x2.add(
    f64x2.mul(exponent, f64x2.splat(6.9314718036912381649e-1)),
    f64x2.add(
      f64x2.mul(f64x2.mul(f64x2.splat(2), s), sum),
      f64x2.mul(exponent, f64x2.splat(1.90821492927058770002e-10)),
    ),
  );
}

/** e to the power of two numbers between -700 and 700: `exp` of core/math.ts. */
// @ts-ignore: decorator
@inline
function expPair(x: v128): v128 {
  const k = f64x2.floor(f64x2.add(f64x2.mul(x, f64x2.splat(1.442695040888963387)), f64x2.splat(0.5)));
  const r = f64x2.sub(
    f64x2.sub(x, f64x2.mul(k, f64x2.splat(6.9314718036912381649e-1))),
    f64x2.mul(k, f64x2.splat(1.90821492927058770002e-10)),
  );
  const q = f64x2.mul(r, r);
  let even = f64x2.splat(2.08767569878681e-9);
  even = f64x2.add(f64x2.splat(2.755731922398589e-7), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(2.48015873015873e-5), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.001388888888888889), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.041666666666666664), f64x2.mul(q, even));
  even = f64x2.add(f64x2.splat(0.5), f64x2.mul(q, even));
  let odd = f64x2.splat(1.6059043836821613e-10);
  odd = f64x2.add(f64x2.splat(2.505210838544172e-8), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(2.7557319223985893e-6), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.0001984126984126984), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.008333333333333333), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(0.16666666666666666), f64x2.mul(q, odd));
  odd = f64x2.add(f64x2.splat(1), f64x2.mul(q, odd));
  const sum = f64x2.add(f64x2.add(f64x2.splat(1), f64x2.mul(q, even)), f64x2.mul(r, odd));
  // A whole number in the low bits of a double becomes its exponent.
  const power = i64x2.shl(i64x2.add(f64x2.add(k, f64x2.splat(WHOLE)), i64x2.splat(1023)), 52);
  return f64x2.mul(sum, power);
}

const LN10: f64 = 2.302585092994045684;

/**
 * Gains of a compressor for `n` levels, an even number, which stand in gains as magnitudes. p, f64: 0 threshold, 1
 * slope, 2 knee, 3 attack, 4 release, 5 floor, below which nothing is asked for; 6 make-up, 7 its change a frame; 8
 * reduction in dB, which is left where it has come to.
 */
export function compress(gains: usize, n: i32, p: usize): void {
  const threshold = v128.load64_splat(p),
    slope = v128.load64_splat(p, 8),
    knee = v128.load64_splat(p, 16),
    floor = v128.load64_splat(p, 40);
  const attack = load<f64>(p, 24),
    release = load<f64>(p, 32),
    madeStep = load<f64>(p, 56);
  const half = f64x2.div(knee, f64x2.splat(2)),
    twice = f64x2.mul(f64x2.splat(2), knee),
    minus = f64x2.neg(knee),
    rounded = f64x2.gt(knee, f64x2.splat(0));
  let made = load<f64>(p, 48);
  let reduction = load<f64>(p, 64);
  for (let i = 0; i < n; i += 2) {
    const at = gains + ((<usize>i) << 3);
    const peak = v128.load(at);
    const loud = f64x2.gt(peak, floor);
    let wanted = f64x2.splat(0);
    if (v128.any_true(loud)) {
      const over = f64x2.sub(f64x2.mul(f64x2.splat(20.0 / LN10), logPair(peak)), threshold);
      const doubled = f64x2.mul(f64x2.splat(2), over);
      const into = f64x2.add(over, half);
      const soft = f64x2.div(f64x2.mul(f64x2.mul(slope, into), into), twice);
      const bent = v128.and(rounded, f64x2.lt(f64x2.abs(doubled), knee));
      wanted = v128.bitselect(soft, f64x2.mul(slope, over), bent);
      wanted = v128.and(v128.andnot(wanted, f64x2.le(doubled, minus)), loud);
    }
    const first = f64x2.extract_lane(wanted, 0),
      second = f64x2.extract_lane(wanted, 1);
    reduction += (first < reduction ? attack : release) * (first - reduction);
    if (reduction > -1e-10) reduction = 0;
    const before = reduction;
    reduction += (second < reduction ? attack : release) * (second - reduction);
    if (reduction > -1e-10) reduction = 0;
    const made1 = made + madeStep;
    made = made1 + madeStep;
    const level = f64x2.replace_lane(f64x2.splat(made1), 1, made);
    if (before == 0 && reduction == 0) {
      v128.store(at, level);
      continue;
    }
    const held = f64x2.replace_lane(f64x2.splat(before), 1, reduction);
    const gain = v128.andnot(
      expPair(f64x2.div(f64x2.mul(held, f64x2.splat(LN10)), f64x2.splat(20))),
      f64x2.le(held, f64x2.splat(-144)),
    );
    v128.store(at, f64x2.mul(level, v128.bitselect(f64x2.splat(1), gain, f64x2.eq(held, f64x2.splat(0)))));
  }
  store<f64>(p, reduction, 64);
}

/**
 * Gains of a lookahead limiter for n levels, which stand in gains as magnitudes. The gain each needs; its least over
 * the window, by a queue of rising candidates with the frame each came at; let go at `release`; averaged over the
 * window. candidates, stamps, held: f64, window each. counts, i32: 0 head and 1 length of the queue, 2 place in held, 3
 * run of frames at 1, no further than the window. p, f64: 0 ceiling, 1 release, 2 clock, 3 gain, 4 sum of held.
 */
export function limit(
  gains: usize,
  n: i32,
  window: i32,
  candidates: usize,
  stamps: usize,
  held: usize,
  counts: usize,
  p: usize,
): void {
  const ceiling = load<f64>(p),
    release = load<f64>(p, 8);
  let clock = load<f64>(p, 16),
    gain = load<f64>(p, 24),
    sum = load<f64>(p, 32);
  let head = load<i32>(counts),
    count = load<i32>(counts, 4),
    slot = load<i32>(counts, 8),
    run = load<i32>(counts, 12);
  const whole = <f64>window;
  for (let i = 0; i < n; i++) {
    const at = gains + ((<usize>i) << 3);
    const peak = load<f64>(at);
    const need = peak > ceiling ? ceiling / peak : 1;
    // What leaves the window goes first: a queue that is full has no place for another.
    if (count > 0 && load<f64>(stamps + ((<usize>head) << 3)) <= clock - whole) {
      head = head + 1 == window ? 0 : head + 1;
      count--;
    }
    let last = head + count - 1;
    if (last >= window) last -= window;
    while (count > 0 && load<f64>(candidates + ((<usize>last) << 3)) >= need) {
      count--;
      last = last == 0 ? window - 1 : last - 1;
    }
    let tail = head + count;
    if (tail >= window) tail -= window;
    store<f64>(candidates + ((<usize>tail) << 3), need);
    store<f64>(stamps + ((<usize>tail) << 3), clock);
    count++;
    clock += 1;
    const lowest = load<f64>(candidates + ((<usize>head) << 3));
    gain = lowest < gain ? lowest : gain + release * (lowest - gain);
    if (1 - gain < 1e-9) gain = 1;
    const place = held + ((<usize>slot) << 3);
    sum += gain - load<f64>(place);
    store<f64>(place, gain);
    slot = slot + 1 == window ? 0 : slot + 1;
    run = gain == 1 ? min(run + 1, window) : 0;
    if (run >= window) sum = whole;
    store<f64>(at, sum == whole ? 1 : sum / whole);
  }
  store<i32>(counts, head);
  store<i32>(counts, count, 4);
  store<i32>(counts, slot, 8);
  store<i32>(counts, run, 12);
  store<f64>(p, clock, 16);
  store<f64>(p, gain, 24);
  store<f64>(p, sum, 32);
}

/**
 * Two channels held back by `length` frames, frame i leaving with gain i; n is a multiple of 2. ring: left and right of
 * each frame side by side, f32. counts, i32: 0 place in the ring, 1 run of silent frames that went in, no further than
 * the length.
 */
export function applyGains(
  left: usize,
  right: usize,
  n: i32,
  gains: usize,
  ring: usize,
  length: i32,
  counts: usize,
): void {
  if (length == 0) {
    for (let i = 0; i < n; i += 2) {
      const at = (<usize>i) << 2;
      const gain = v128.load(gains + ((<usize>i) << 3));
      v128.store64_lane(
        left + at,
        f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(left + at)), gain)),
        0,
      );
      v128.store64_lane(
        right + at,
        f32x4.demote_f64x2_zero(f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(right + at)), gain)),
        0,
      );
    }
    return;
  }
  let slot = load<i32>(counts),
    run = load<i32>(counts, 4);
  for (let i = 0; i < n; i++) {
    const at = (<usize>i) << 2;
    const place = ring + ((<usize>slot) << 3);
    const input = i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 0, 4);
    const out = f32x4.demote_f64x2_zero(
      f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(place)), v128.load64_splat(gains + ((<usize>i) << 3))),
    );
    v128.store64_lane(place, input, 0);
    v128.store32_lane(left + at, out, 0);
    v128.store32_lane(right + at, out, 1);
    slot = slot + 1 == length ? 0 : slot + 1;
    run = v128.any_true(f32x4.ne(input, f32x4.splat(0))) ? 0 : min(run + 1, length);
  }
  store<i32>(counts, slot);
  store<i32>(counts, run, 4);
}
