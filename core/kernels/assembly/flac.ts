// One frame of FLAC, RFC 9639, 9: fixed predictors of order 0 to 4 and partitioned Rice codes. What it writes is held to
// decoders of others.

/** A whole block; the last of a file may be shorter. */
const BLOCK: i32 = 4096;
/** A whole block's residual is coded in so many parts, as a power of two. */
const PARTS_LOG2: i32 = 4;
const MOST_ORDER: i32 = 4;
const MOST_RICE: i32 = 30;

let bits: u64 = 0;
let held: i32 = 0;
let at: usize = 0;

// @ts-ignore: decorator
@inline
function put(value: u32, count: i32): void {
  bits = (bits << count) | <u64>value;
  held += count;
  if (held >= 32) {
    held -= 32;
    store<u32>(at, bswap<u32>(<u32>(bits >> held)));
    at += 4;
  }
}

function putSigned(value: i32, count: i32): void {
  put(count == 32 ? <u32>value : <u32>value & ((<u32>1 << count) - 1), count);
}

/** The rest of the last byte is zeros; what was held is written. */
function align(): void {
  const rest = (8 - (held & 7)) & 7;
  put(0, rest);
  while (held > 0) {
    held -= 8;
    store<u8>(at++, <u8>(bits >> held));
  }
}

/** Interleaved samples as they lie in a WAV file to one channel of whole numbers. */
function takeApart(into: usize, pcm: usize, frames: i32, step: usize, width: i32): void {
  let from = pcm;
  for (let i = 0; i < frames; i++, from += step) {
    const value: i32 = width == 3 ? <i32>load<u16>(from) | (<i32>load<i8>(from, 2) << 16) : <i32>load<i16>(from);
    store<i32>(into + (<usize>i << 2), value);
  }
}

/** How many bits a value takes, about: its exponent, and its fraction as a straight line. */
function log2(value: f64): f64 {
  const raw = reinterpret<u64>(value);
  return <f64>(<i32>((raw >> 52) & 0x7ff) - 1023) + <f64>(raw & 0xfffffffffffff) / 4503599627370496;
}

let chosenOrder: i32 = 0;

// @ts-ignore: decorator
@inline
function sumOf(x: v128): f64 {
  return (
    <f64>f32x4.extract_lane(x, 0) +
    <f64>f32x4.extract_lane(x, 1) +
    <f64>f32x4.extract_lane(x, 2) +
    <f64>f32x4.extract_lane(x, 3)
  );
}

/** The predictor that leaves least of a channel, into `chosenOrder`; answers with the bits a sample, about. */
function least(x: usize, frames: i32): f64 {
  let s0 = f32x4.splat(0);
  let s1 = s0;
  let s2 = s0;
  let s3 = s0;
  let s4 = s0;
  for (let i = MOST_ORDER; i + 4 <= frames; i += 4) {
    const p = x + (<usize>i << 2);
    const l0 = v128.load(p);
    const l1 = v128.load(p - 4);
    const l2 = v128.load(p - 8);
    const l3 = v128.load(p - 12);
    const l4 = v128.load(p - 16);
    const a = i32x4.sub(l0, l1);
    const b = i32x4.sub(l1, l2);
    const c = i32x4.sub(l2, l3);
    const d = i32x4.sub(l3, l4);
    const ab = i32x4.sub(a, b);
    const bc = i32x4.sub(b, c);
    const cd = i32x4.sub(c, d);
    const abc = i32x4.sub(ab, bc);
    const bcd = i32x4.sub(bc, cd);
    s0 = f32x4.add(s0, f32x4.convert_i32x4_s(i32x4.abs(l0)));
    s1 = f32x4.add(s1, f32x4.convert_i32x4_s(i32x4.abs(a)));
    s2 = f32x4.add(s2, f32x4.convert_i32x4_s(i32x4.abs(ab)));
    s3 = f32x4.add(s3, f32x4.convert_i32x4_s(i32x4.abs(abc)));
    s4 = f32x4.add(s4, f32x4.convert_i32x4_s(i32x4.abs(i32x4.sub(abc, bcd))));
  }
  let best = sumOf(s0);
  chosenOrder = 0;
  if (sumOf(s1) < best) {
    best = sumOf(s1);
    chosenOrder = 1;
  }
  if (sumOf(s2) < best) {
    best = sumOf(s2);
    chosenOrder = 2;
  }
  if (sumOf(s3) < best) {
    best = sumOf(s3);
    chosenOrder = 3;
  }
  if (sumOf(s4) < best) {
    best = sumOf(s4);
    chosenOrder = 4;
  }
  return log2(1 + (2 * best) / <f64>frames);
}

// @ts-ignore: decorator
@inline
function sample(x: usize, i: i32): i32 {
  return load<i32>(x + (<usize>i << 2));
}

/** What a predictor leaves of one sample, with the sign in the lowest bit. */
// @ts-ignore: decorator
@inline
function leftover(x: usize, i: i32, order: i32): u32 {
  const p = x + (<usize>i << 2);
  let r = load<i32>(p);
  if (order == 1) r -= load<i32>(p - 4);
  else if (order == 2) r += load<i32>(p - 8) - 2 * load<i32>(p - 4);
  else if (order == 3) r += 3 * (load<i32>(p - 8) - load<i32>(p - 4)) - load<i32>(p - 12);
  else if (order == 4)
    r += 6 * load<i32>(p - 8) - 4 * (load<i32>(p - 4) + load<i32>(p - 12)) + load<i32>(p - 16);
  return <u32>((r << 1) ^ (r >> 31));
}

/** One channel's part of a frame, `depth` bits a sample; `left` has room for a block of whole numbers. */
function subframe(x: usize, frames: i32, depth: i32, order: i32, left: usize): void {
  let same = true;
  const first = sample(x, 0);
  for (let i = 1; same && i < frames; i++) same = sample(x, i) == first;
  if (same) {
    put(0, 8);
    putSigned(first, depth);
    return;
  }
  const parts = frames == BLOCK ? 1 << PARTS_LOG2 : 1;
  const each = frames / parts;
  const plain = <u64>frames * <u64>depth;
  let cost: u64 = 0;
  let most = 0;
  if (frames > MOST_ORDER) {
    for (let i = order; i < frames; i++) store<u32>(left + (<usize>i << 2), leftover(x, i, order));
    for (let part = 0; part < parts; part++) {
      const from = part == 0 ? order : part * each;
      const to = (part + 1) * each;
      let sum: u64 = 0;
      for (let i = from; i < to; i++) sum += <u64>load<u32>(left + (<usize>i << 2));
      const mean = sum / <u64>(to - from);
      const rice = mean == 0 ? 0 : min<i32>(MOST_RICE, 63 - <i32>clz<u64>(mean));
      most = max<i32>(most, rice);
      for (let i = from; i < to; i++) cost += <u64>(load<u32>(left + (<usize>i << 2)) >> rice);
      cost += <u64>(to - from) * <u64>(rice + 1) + 5;
      store<i32>(left + (<usize>(BLOCK + part) << 2), rice);
    }
  }
  if (frames <= MOST_ORDER || cost >= plain) {
    put(2, 8);
    for (let i = 0; i < frames; i++) putSigned(sample(x, i), depth);
    return;
  }
  put((8 | order) << 1, 8);
  for (let i = 0; i < order; i++) putSigned(sample(x, i), depth);
  const wide = most > 14;
  put(wide ? 1 : 0, 2);
  put(parts == 1 ? 0 : PARTS_LOG2, 4);
  for (let part = 0; part < parts; part++) {
    const rice = load<i32>(left + (<usize>(BLOCK + part) << 2));
    put(rice, wide ? 5 : 4);
    const to = (part + 1) * each;
    const stop = <u32>1 << rice;
    const low = stop - 1;
    for (let i = part == 0 ? order : part * each; i < to; i++) {
      const value = load<u32>(left + (<usize>i << 2));
      let high = <i32>(value >> rice);
      if (high + rice < 32) put(stop | (value & low), high + rice + 1);
      else {
        for (; high >= 32; high -= 32) put(0, 32);
        put(0, high);
        put(stop | (value & low), rice + 1);
      }
    }
  }
}

function crc8(from: usize, to: usize): u32 {
  let crc: u32 = 0;
  for (let p = from; p < to; p++) {
    crc ^= load<u8>(p);
    for (let k = 0; k < 8; k++) crc = ((crc << 1) ^ (crc & 0x80 ? 0x07 : 0)) & 0xff;
  }
  return crc;
}

/** The number of a frame, in the manner of UTF-8. */
function putNumber(value: u32): void {
  if (value < 0x80) put(value, 8);
  else {
    let more = 1;
    while (more < 5 && value >> (6 + 5 * more)) more++;
    const lead = (0xff00 >> (more + 1)) & 0xff;
    put(lead | (value >> (6 * more)), 8);
    for (let k = more - 1; k >= 0; k--) put(0x80 | ((value >> (6 * k)) & 0x3f), 8);
  }
}

/**
 * Writes frame `number` of a file of one or two channels, 2 or 3 bytes a sample, to `out` and returns its length in
 * bytes. `work`: five blocks of whole numbers and 16 more; `table`: the 256 values of the CRC of x^16 + x^15 + x^2 + 1.
 */
export function flacFrame(
  out: usize,
  pcm: usize,
  frames: i32,
  channels: i32,
  width: i32,
  rateCode: i32,
  number: u32,
  work: usize,
  table: usize,
): i32 {
  const block = <usize>BLOCK << 2;
  const depth = width * 8;
  const l = work;
  const r = l + block;
  const m = r + block;
  const s = m + block;
  const left = s + block;
  const step = <usize>(channels * width);
  takeApart(l, pcm, frames, step, width);
  const costLeft = least(l, frames);
  const orderLeft = chosenOrder;
  let mode: i32 = channels - 1;
  let orderRight: i32 = 0;
  let orderMiddle: i32 = 0;
  let orderSide: i32 = 0;
  if (channels == 2) {
    takeApart(r, pcm + <usize>width, frames, step, width);
    for (let i: usize = 0; i < <usize>frames << 2; i += 4) {
      const a = load<i32>(l + i);
      const b = load<i32>(r + i);
      store<i32>(m + i, (a + b) >> 1);
      store<i32>(s + i, a - b);
    }
    const costRight = least(r, frames);
    orderRight = chosenOrder;
    const costMiddle = least(m, frames);
    orderMiddle = chosenOrder;
    const costSide = least(s, frames);
    orderSide = chosenOrder;
    let cost = costLeft + costRight;
    if (costLeft + costSide < cost) {
      cost = costLeft + costSide;
      mode = 8;
    }
    if (costRight + costSide < cost) {
      cost = costRight + costSide;
      mode = 9;
    }
    if (costMiddle + costSide < cost) mode = 10;
  }
  bits = 0;
  held = 0;
  at = out;
  put(0xfff8, 16);
  put(((frames == BLOCK ? 12 : 7) << 4) | rateCode, 8);
  put((mode << 4) | ((width == 3 ? 6 : 4) << 1), 8);
  putNumber(number);
  if (frames != BLOCK) put(frames - 1, 16);
  align();
  put(crc8(out, at), 8);
  if (mode == 0) subframe(l, frames, depth, orderLeft, left);
  else if (mode == 1) {
    subframe(l, frames, depth, orderLeft, left);
    subframe(r, frames, depth, orderRight, left);
  } else if (mode == 8) {
    subframe(l, frames, depth, orderLeft, left);
    subframe(s, frames, depth + 1, orderSide, left);
  } else if (mode == 9) {
    subframe(s, frames, depth + 1, orderSide, left);
    subframe(r, frames, depth, orderRight, left);
  } else {
    subframe(m, frames, depth, orderMiddle, left);
    subframe(s, frames, depth + 1, orderSide, left);
  }
  align();
  let crc: u32 = 0;
  for (let p = out; p < at; p++)
    crc = ((crc << 8) & 0xffff) ^ load<u16>(table + (<usize>((crc >> 8) ^ load<u8>(p)) << 1));
  put(crc, 16);
  align();
  return <i32>(at - out);
}
