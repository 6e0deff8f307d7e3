import { flush2 } from "./states";

/**
 * Eight delay lines that feed each other through a Householder matrix, each damped and weakened, left in front of the
 * even ones and right of the odd ones; what they give stands in out, eight numbers a frame. ring, f64; heads, starts,
 * ends: i32, places in it; lines, f64: eight each of gains, their changes a frame, and low-pass states. Returns how
 * many frames at the end were silent inside and in front.
 */
export function feedbackNetwork(
  left: usize,
  right: usize,
  n: i32,
  out: usize,
  ring: usize,
  heads: usize,
  starts: usize,
  ends: usize,
  lines: usize,
  damp: f64,
  dampStep: f64,
): i32 {
  let silent = 0;
  let d = damp;
  for (let i = 0; i < n; i++) {
    d += dampStep;
    const l = <f64>load<f32>(left + ((<usize>i) << 2));
    const r = <f64>load<f32>(right + ((<usize>i) << 2));
    const into = f64x2.replace_lane(f64x2.splat(l), 1, r);
    const keep = f64x2.splat(d);
    const pass = f64x2.splat(1 - d);
    const frame = out + ((<usize>i) << 6);
    let sum = f64x2.splat(0);
    for (let k: usize = 0; k < 64; k += 16) {
      const gain = f64x2.add(v128.load(lines + k), v128.load(lines + k, 64));
      v128.store(lines + k, gain);
      const h = heads + (k >> 1);
      const x = f64x2.replace_lane(
        f64x2.splat(load<f64>(ring + ((<usize>load<i32>(h)) << 3))),
        1,
        load<f64>(ring + ((<usize>load<i32>(h, 4)) << 3)),
      );
      const low = flush2(f64x2.add(f64x2.mul(pass, x), f64x2.mul(keep, v128.load(lines + k, 128))));
      v128.store(lines + k, low, 128);
      const y = f64x2.mul(low, gain);
      v128.store(frame + k, y);
      sum = f64x2.add(sum, y);
    }
    const fed = f64x2.splat((f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)) * 0.25);
    let awake = v128.or(into, into);
    for (let k: usize = 0; k < 64; k += 16) {
      const value = flush2(f64x2.add(f64x2.sub(v128.load(frame + k), fed), into));
      awake = v128.or(awake, value);
      for (let lane: usize = 0; lane < 2; lane++) {
        const at = (k >> 1) + (lane << 2);
        const head = load<i32>(heads + at);
        store<f64>(
          ring + ((<usize>head) << 3),
          lane == 0 ? f64x2.extract_lane(value, 0) : f64x2.extract_lane(value, 1),
        );
        const next = head + 1;
        store<i32>(heads + at, next == load<i32>(ends + at) ? load<i32>(starts + at) : next);
      }
    }
    silent = v128.any_true(f64x2.ne(awake, f64x2.splat(0))) ? 0 : silent + 1;
  }
  return silent;
}

/**
 * What `feedbackNetwork` left in outs, in two channels: mixed, through a first-order high-pass, and with the dry
 * signal. p, f64: 0 wet, 1 its change a frame; 2 and 3 the filter's gain and pole; 4, 5 its last inputs left and right;
 * 6, 7 its last outputs.
 */
export function outOfNetwork(left: usize, right: usize, n: i32, outs: usize, p: usize): void {
  let w = load<f64>(p);
  const wStep = load<f64>(p, 8);
  const gain = v128.load64_splat(p, 16),
    pole = v128.load64_splat(p, 24);
  let x = v128.load(p, 32),
    y = v128.load(p, 48);
  for (let i = 0; i < n; i++) {
    const at = (<usize>i) << 2;
    const o = outs + ((<usize>i) << 6);
    const early = f64x2.sub(v128.load(o), v128.load(o, 16));
    const across = f64x2.mul(f64x2.splat(0.5), i64x2.shuffle(early, early, 1, 0));
    const mixed = f64x2.mul(
      f64x2.splat(0.35),
      f64x2.add(f64x2.sub(f64x2.add(early, v128.load(o, 32)), v128.load(o, 48)), across),
    );
    y = f64x2.add(f64x2.mul(gain, f64x2.sub(mixed, x)), f64x2.mul(pole, y));
    x = mixed;
    w += wStep;
    const dry = f64x2.promote_low_f32x4(
      i32x4.shuffle(v128.load32_zero(left + at), v128.load32_zero(right + at), 0, 4, 1, 5),
    );
    const out = f32x4.demote_f64x2_zero(f64x2.add(f64x2.mul(dry, f64x2.splat(1 - w)), f64x2.mul(y, f64x2.splat(w))));
    v128.store32_lane(left + at, out, 0);
    v128.store32_lane(right + at, out, 1);
  }
  v128.store(p, x, 32);
  v128.store(p, flush2(y), 48);
}
