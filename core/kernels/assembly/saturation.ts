/**
 * Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, for four numbers at once. Its constants (-3, 3,
 * 9 and 27) come from what the compiler does not know, and so stay in registers; a constant is built anew at each use.
 */
// @ts-ignore: decorator
@inline
export function saturate4(value: v128, least: v128, most: v128, nine: v128, all: v128): v128 {
  const x = f32x4.pmax(least, f32x4.pmin(most, value));
  const z = f32x4.mul(x, x);
  return f32x4.div(f32x4.mul(x, f32x4.add(all, z)), f32x4.add(all, f32x4.mul(nine, z)));
}

/**
 * x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample; n is a multiple of 4. `unit` is
 * 1.
 */
export function drive(x: usize, n: i32, gain: f32, gainStep: f32, bias: f32, biasStep: f32, unit: f32): void {
  const least = f32x4.splat(-3 * unit),
    most = f32x4.splat(3 * unit),
    nine = f32x4.splat(9 * unit),
    all = f32x4.splat(27 * unit);
  const gains = f32x4.splat(gain),
    gainSteps = f32x4.splat(gainStep),
    biases = f32x4.splat(bias),
    biasSteps = f32x4.splat(biasStep);
  const four = f32x4.splat(4 * unit);
  let along = f32x4.mul(f32x4(1, 2, 3, 4), f32x4.splat(unit));
  for (let i = 0; i < n; i += 4) {
    const at = x + ((<usize>i) << 2);
    const g = f32x4.add(gains, f32x4.mul(gainSteps, along));
    const b = f32x4.add(biases, f32x4.mul(biasSteps, along));
    v128.store(
      at,
      f32x4.sub(
        saturate4(f32x4.add(f32x4.mul(g, v128.load(at)), b), least, most, nine, all),
        saturate4(b, least, most, nine, all),
      ),
    );
    along = f32x4.add(along, four);
  }
}

/**
 * out[i] = the curve of `gain * x + bias`, averaged over the two steps around x[i], less curve(bias): x goes in a straight line
 * from step to step, the curve is taken at `points` places (a multiple of 4) in each, and weighted by a triangle. What
 * stands at x is the step before the first; out is late by one step. `carry`: what the last call returned, which is
 * the rising half of the triangle over its last step; `unit` is 1.
 */
export function driveFine(
  out: usize,
  x: usize,
  n: i32,
  points: i32,
  gain: f32,
  gainStep: f32,
  bias: f32,
  biasStep: f32,
  carry: f32,
  unit: f32,
): f32 {
  const least = f32x4.splat(-3 * unit),
    most = f32x4.splat(3 * unit),
    nine = f32x4.splat(9 * unit),
    all = f32x4.splat(27 * unit);
  const share = unit / <f32>points;
  const first = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(share));
  const next = f32x4.splat(4 * share),
    shares = f32x4.splat(share),
    ones = f32x4.splat(unit);
  let falling = f32x4.splat(0),
    rising = f32x4.splat(0);
  let along = first;
  for (let k = 0; k < points; k += 4) {
    const up = f32x4.mul(along, shares);
    rising = f32x4.add(rising, up);
    falling = f32x4.add(falling, f32x4.mul(f32x4.sub(ones, along), shares));
    along = f32x4.add(along, next);
  }
  const allFalling = summed(falling),
    allRising = summed(rising);
  let kept = carry;
  for (let i = 0; i < n; i++) {
    const at = (<usize>i) << 2;
    const g = gain + gainStep * <f32>(i + 1);
    const b = bias + biasStep * <f32>(i + 1);
    const from = g * load<f32>(x + at) + b;
    const by = g * (load<f32>(x + at, 4) - load<f32>(x + at));
    const rest = f32x4.extract_lane(saturate4(f32x4.splat(b), least, most, nine, all), 0);
    const to = from + by;
    let down: f32, up: f32;
    if (min(from, to) >= 3.5) {
      down = allFalling;
      up = allRising;
    } else if (max(from, to) <= -3.5) {
      down = -allFalling;
      up = -allRising;
    } else {
      falling = f32x4.splat(0);
      rising = f32x4.splat(0);
      along = first;
      const froms = f32x4.splat(from),
        bys = f32x4.splat(by);
      for (let k = 0; k < points; k += 4) {
        const y = saturate4(f32x4.add(froms, f32x4.mul(bys, along)), least, most, nine, all);
        rising = f32x4.add(rising, f32x4.mul(y, f32x4.mul(along, shares)));
        falling = f32x4.add(falling, f32x4.mul(y, f32x4.mul(f32x4.sub(ones, along), shares)));
        along = f32x4.add(along, next);
      }
      down = summed(falling);
      up = summed(rising);
    }
    store<f32>(out + at, kept + down - rest);
    kept = up;
  }
  return kept;
}

// @ts-ignore: decorator
@inline
function summed(x: v128): f32 {
  return f32x4.extract_lane(x, 0) + f32x4.extract_lane(x, 1) + (f32x4.extract_lane(x, 2) + f32x4.extract_lane(x, 3));
}

/** The longest step between neighbours of `n` numbers, taken in double; n is even. What is no number is no step. */
export function longestStep(x: usize, n: i32): f64 {
  let longest = f64x2.splat(0);
  let i = 0;
  for (; i + 2 < n; i += 2) {
    const at = x + ((<usize>i) << 2);
    const here = f64x2.promote_low_f32x4(v128.load64_zero(at)),
      next = f64x2.promote_low_f32x4(v128.load64_zero(at, 4));
    longest = f64x2.pmax(longest, f64x2.abs(f64x2.sub(next, here)));
  }
  const at = x + ((<usize>i) << 2);
  const last = Math.abs(<f64>load<f32>(at, 4) - <f64>load<f32>(at));
  let most = f64x2.extract_lane(longest, 0);
  if (most < f64x2.extract_lane(longest, 1)) most = f64x2.extract_lane(longest, 1);
  return most < last ? last : most;
}

/**
 * x = dry + wet * (driven * gain - dry), in double; gain and wet move by a step before each sample. n is even, and
 * x may not be the dry signal.
 */
export function blend(
  x: usize,
  dry: usize,
  driven: usize,
  n: i32,
  gain: f64,
  gainStep: f64,
  wet: f64,
  wetStep: f64,
): void {
  let g = gain,
    w = wet;
  for (let i = 0; i < n; i += 2) {
    const at = (<usize>i) << 2;
    const g1 = g + gainStep,
      w1 = w + wetStep;
    g = g1 + gainStep;
    w = w1 + wetStep;
    const plain = f64x2.promote_low_f32x4(v128.load64_zero(dry + at));
    const loud = f64x2.mul(f64x2.promote_low_f32x4(v128.load64_zero(driven + at)), pair(g1, g));
    const out = f64x2.add(plain, f64x2.mul(pair(w1, w), f64x2.sub(loud, plain)));
    v128.store64_lane(x + at, f32x4.demote_f64x2_zero(out), 0);
  }
}

// @ts-ignore: decorator
@inline
function pair(first: f64, second: f64): v128 {
  return f64x2.replace_lane(f64x2.splat(first), 1, second);
}
