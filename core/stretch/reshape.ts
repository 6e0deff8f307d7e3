import { Resampler } from "../analysis/resample";
import type { AudioReader } from "../audio/audio-reader";
import type { Sink } from "../engine/render";
import { pow } from "../math";
import type { Reshape } from "../session/clips";
import { TimeMap, centsAt, stretchedFrames } from "../session/bend";
import { isBent } from "../session/clips";
import type { Frames } from "../units";
import { attacksOf, stretchBetween, type Read } from "./attacks";
import { VaryingSpeed } from "./varying-speed";
import type { Course, Stretcher } from "./stretcher";

/**
 * Largest denominator of a transposition as a fraction (the converter keeps a kernel for each), and what is near
 * enough: a fiftieth of a cent.
 */
const FINEST = 4096;
const NEAR = 1.2e-5;
const CHUNK: Frames = 4096;

/**
 * Reverses, stretches and transposes an asset into exactly stretchedFrames(frames, …) frames, bent where its time or
 * pitch moves. Transposing is stretching by the interval and converting back by it, which is far nearer to the pitch
 * asked for than shifting a spectrum.
 */
export function reshapeAudio(audio: AudioReader, reshape: Reshape, stretcher: Stretcher, sink: Sink): void {
  const { reverse, stretch, transposeCents } = reshape;
  const total = stretchedFrames(audio.frames, reshape);
  const [over, under] = fraction(pow(2, transposeCents / 1200));
  const interval = over / under;
  let left = total;
  const limited: Sink = (l, r, offset, count) => {
    const n = Math.min(left, count);
    if (n > 0) sink(l, r, offset, n);
    left -= n;
  };
  const read = (from: Frames, count: Frames, l: Float32Array, r: Float32Array) => {
    if (!reverse) {
      audio.read(from, count, l, r, 0);
      return;
    }
    audio.read(audio.frames - from - count, count, l, r, 0);
    l.subarray(0, count).reverse();
    r.subarray(0, count).reverse();
  };
  if (isBent(reshape)) {
    bendAudio(audio.frames, reshape, stretcher, read, limited);
    if (left > 0) sink(new Float32Array(left), new Float32Array(left), 0, left);
    return;
  }
  const converter = over === under ? null : new Resampler(over, under, limited);
  const take: Sink = converter ? converter.push.bind(converter) : limited;
  if (Math.abs(stretch * interval - 1) < 1e-6) {
    const l = new Float32Array(CHUNK),
      r = new Float32Array(CHUNK);
    for (let from = 0; from < audio.frames; from += CHUNK) {
      const n = Math.min(CHUNK, audio.frames - from);
      read(from, n, l, r);
      take(l, r, 0, n);
    }
  } else {
    const factor = stretch * interval;
    stretched(audio.frames, evenCourse(audio.frames, factor), factor, (s) => s * factor, stretcher, read, take);
  }
  converter?.finish();
  // Rounding in two places can leave the last frame out.
  if (left > 0) sink(new Float32Array(left), new Float32Array(left), 0, left);
}

/** All of it by one factor. */
const evenCourse = (frames: Frames, factor: number): Course => ({
  frames: Math.round(frames * factor),
  sourceOf: (f) => f / factor,
  turns: [],
});

/**
 * Stretches audio along a course, or by `factor` if it has one throughout. Attacks are kept as they are, heard where
 * `placeOf` says.
 */
function stretched(
  frames: Frames,
  course: Course,
  factor: number | null,
  placeOf: (source: number) => number,
  stretcher: Stretcher,
  read: Read,
  sink: Sink,
): void {
  const attacks = attacksOf(frames, course.frames, stretcher.rate, read, placeOf);
  if (attacks.length === 0) stretcher.run(frames, factor ?? course, read, sink);
  else stretchBetween(frames, course, attacks, stretcher, read, sink);
}

/** Frames of the result over which an interval that moves is taken as even. */
const STEP: Frames = 64;

/**
 * Stretches along the time map, longer by the interval at every place, and converts back by it: what moves is the pitch
 * alone, and its line is met at every frame.
 */
function bendAudio(frames: Frames, reshape: Reshape, stretcher: Stretcher, read: Read, sink: Sink): void {
  const map = new TimeMap(frames, reshape);
  const { pitchLine, transposeCents } = reshape;
  if (pitchLine.length === 0 && transposeCents === 0) {
    const course = {
      frames: map.frames,
      sourceOf: (f: number) => map.toRecording(f),
      turns: map.turns,
    };
    stretched(frames, course, null, (s) => map.toStretched(s), stretcher, read, sink);
    return;
  }
  const course = intervalCourse(map, (at) => pow(2, (transposeCents + centsAt(pitchLine, map.toRecording(at))) / 1200));
  const converter = new VaryingSpeed((m) => course.longer(m), map.frames, sink);
  const long: Course = {
    frames: course.frames,
    sourceOf: (f) => map.toRecording(course.shorter(f)),
    turns: map.turns.map((t) => Math.round(course.longer(t))),
  };
  stretched(
    frames,
    long,
    null,
    (s) => course.longer(map.toStretched(s)),
    stretcher,
    read,
    (l, r, offset, count) => converter.push(l, r, offset, count),
  );
  converter.finish();
}

/**
 * How far the stretched audio has to come at every frame of the result, where an interval is heard at each: the sum of
 * the intervals. `frames`: all of it. Beyond both ends the interval stays.
 */
function intervalCourse(map: TimeMap, intervalAt: (frame: number) => number) {
  const steps = Math.ceil(map.frames / STEP);
  const sums = new Float64Array(steps + 1);
  let before = intervalAt(0);
  for (let s = 0; s < steps; s++) {
    const after = intervalAt((s + 1) * STEP);
    sums[s + 1] = (sums[s] as number) + ((before + after) / 2) * STEP;
    before = after;
  }
  const [first, last] = [intervalAt(0), intervalAt(map.frames)];
  const longer = (frame: number): number => {
    if (frame <= 0) return frame * first;
    const s = Math.min(steps - 1, Math.floor(frame / STEP));
    const [a, b] = [sums[s] as number, sums[s + 1] as number];
    return frame > steps * STEP
      ? (sums[steps] as number) + (frame - steps * STEP) * last
      : a + ((frame - s * STEP) * (b - a)) / STEP;
  };
  const shorter = (far: number): number => {
    if (far <= 0) return far / first;
    const end = sums[steps] as number;
    if (far >= end) return steps * STEP + (far - end) / last;
    let low = 0;
    let high = steps - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((sums[middle] as number) <= far) low = middle;
      else high = middle - 1;
    }
    const [a, b] = [sums[low] as number, sums[low + 1] as number];
    return (low + (far - a) / (b - a)) * STEP;
  };
  return { frames: Math.ceil(longer(map.frames)), longer, shorter };
}

/**
 * The first fraction that is near enough to a number between 1/4 and 4, by trying every denominator: the convergents of
 * a continued fraction alone leave out the neighbours of 1 that a few cents need. Whole cents come within a tenth of a
 * cent.
 */
export function fraction(value: number): readonly [over: number, under: number] {
  let best: readonly [number, number] = [1, 1];
  let off = Infinity;
  for (let under = 1; under <= FINEST && off > NEAR; under++) {
    const over = Math.round(value * under);
    const error = Math.abs(over / (value * under) - 1);
    if (error < off) {
      off = error;
      best = [over, under];
    }
  }
  return best;
}
