/** Below this a filter state becomes zero. */
const FLUSH: f64 = 1e-30;
/** Frames after which states are looked at. */
export const QUANTUM: i32 = 64;
/**
 * Added to a double and taken off again, it leaves the nearest whole number, the even one of two; the sum's low bits
 * are that number.
 */
export const WHOLE: f64 = 6755399441055744;

// @ts-ignore: decorator
@inline
export function alive(state: v128, other: v128): v128 {
  const floor = f64x2.splat(FLUSH);
  return v128.or(f64x2.ge(f64x2.abs(state), floor), f64x2.ge(f64x2.abs(other), floor));
}

// @ts-ignore: decorator
@inline
export function flush2(x: v128): v128 {
  return v128.and(x, f64x2.ge(f64x2.abs(x), f64x2.splat(FLUSH)));
}
