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
