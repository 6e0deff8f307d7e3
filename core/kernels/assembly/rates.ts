// @ts-ignore: decorator
@inline
function summed(x: v128): f32 {
  return f32x4.extract_lane(x, 0) + f32x4.extract_lane(x, 1) + (f32x4.extract_lane(x, 2) + f32x4.extract_lane(x, 3));
}

/**
 * out[i] += the sum of `taps` inputs from i * over on, weighted; frames and taps are multiples of 4. Four at a time:
 * each alone would wait for its own sums.
 */
export function decimate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  const next = (<usize>over) << 2;
  const end = (<usize>taps) << 2;
  for (let i = 0; i < frames; i += 4) {
    const x = input + ((<usize>(i * over)) << 2);
    let a = f32x4.splat(0),
      b = f32x4.splat(0),
      c = f32x4.splat(0),
      d = f32x4.splat(0);
    for (let k: usize = 0; k < end; k += 16) {
      const h = v128.load(kernel + k);
      const at = x + k;
      a = f32x4.add(a, f32x4.mul(v128.load(at), h));
      b = f32x4.add(b, f32x4.mul(v128.load(at + next), h));
      c = f32x4.add(c, f32x4.mul(v128.load(at + 2 * next), h));
      d = f32x4.add(d, f32x4.mul(v128.load(at + 3 * next), h));
    }
    const at = out + ((<usize>i) << 2);
    store<f32>(at, load<f32>(at) + summed(a));
    store<f32>(at, load<f32>(at, 4) + summed(b), 4);
    store<f32>(at, load<f32>(at, 8) + summed(c), 8);
    store<f32>(at, load<f32>(at, 12) + summed(d), 12);
  }
}

/**
 * out[i * over + p] = the sum of `taps` inputs from i on, weighted by row p of the kernel; frames and taps are
 * multiples of 4. Four frames at a time.
 */
export function interpolate(out: usize, input: usize, frames: i32, over: i32, kernel: usize, taps: i32): void {
  const next = (<usize>over) << 2;
  const end = (<usize>taps) << 2;
  for (let i = 0; i < frames; i += 4) {
    const x = input + ((<usize>i) << 2);
    for (let p = 0; p < over; p++) {
      const row = kernel + ((<usize>(p * taps)) << 2);
      let a = f32x4.splat(0),
        b = f32x4.splat(0),
        c = f32x4.splat(0),
        d = f32x4.splat(0);
      for (let k: usize = 0; k < end; k += 16) {
        const h = v128.load(row + k);
        const at = x + k;
        a = f32x4.add(a, f32x4.mul(v128.load(at), h));
        b = f32x4.add(b, f32x4.mul(v128.load(at, 4), h));
        c = f32x4.add(c, f32x4.mul(v128.load(at, 8), h));
        d = f32x4.add(d, f32x4.mul(v128.load(at, 12), h));
      }
      const at = out + ((<usize>(i * over + p)) << 2);
      store<f32>(at, summed(a));
      store<f32>(at + next, summed(b));
      store<f32>(at + 2 * next, summed(c));
      store<f32>(at + 3 * next, summed(d));
    }
  }
}

/**
 * A recording read at `step` frames a frame from position `position` of x on: 32 taps from the two rows nearest to each
 * position.
 * table: phases + 1 rows. The first tap of a position lies 15 frames before it; x begins `first` frames into the
 * recording.
 */
export function readBetween(
  out: usize,
  x: usize,
  n: i32,
  position: f64,
  step: f64,
  first: f64,
  table: usize,
  phases: f64,
): void {
  for (let i = 0; i < n; i++) {
    const at = position + <f64>i * step;
    const whole = floor(at);
    const phase = (at - whole) * phases;
    const row = table + ((<usize>(<i32>floor(phase))) << 7);
    const part = f32x4.splat(<f32>(phase - floor(phase)));
    const from = x + ((<usize>(<i32>(whole - 15 - first))) << 2);
    let sum = f32x4.splat(0);
    for (let k: usize = 0; k < 128; k += 16) {
      const a = v128.load(row + k);
      sum = f32x4.add(
        sum,
        f32x4.mul(f32x4.add(a, f32x4.mul(part, f32x4.sub(v128.load(row + k, 128), a))), v128.load(from + k)),
      );
    }
    store<f32>(
      out + ((<usize>i) << 2),
      f32x4.extract_lane(sum, 0) +
        f32x4.extract_lane(sum, 1) +
        (f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3)),
    );
  }
}
