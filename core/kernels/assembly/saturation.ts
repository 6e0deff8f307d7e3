/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, for four numbers at once. */
// @ts-ignore: decorator
@inline
export function saturate4(value: v128): v128 {
  const x = f32x4.pmax(f32x4.splat(-3), f32x4.pmin(f32x4.splat(3), value));
  const z = f32x4.mul(x, x);
  return f32x4.div(f32x4.mul(x, f32x4.add(f32x4.splat(27), z)), f32x4.add(f32x4.splat(27), f32x4.mul(f32x4.splat(9), z)));
}

/** x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample; n is a multiple of 4. */
export function drive(x: usize, n: i32, gain: f32, gainStep: f32, bias: f32, biasStep: f32): void {
  const ramp = f32x4(1, 2, 3, 4);
  for (let i = 0; i < n; i += 4) {
    const at = x + (<usize>i << 2);
    const along = f32x4.add(f32x4.splat(<f32>i), ramp);
    const g = f32x4.add(f32x4.splat(gain), f32x4.mul(f32x4.splat(gainStep), along));
    const b = f32x4.add(f32x4.splat(bias), f32x4.mul(f32x4.splat(biasStep), along));
    v128.store(at, f32x4.sub(saturate4(f32x4.add(f32x4.mul(g, v128.load(at)), b)), saturate4(b)));
  }
}
