import type { AudioReader } from "../audio/audio-reader";
import { PI, besselI0, sin } from "../math";
import type { Frames } from "../units";
import { Lags, MOST_LAG, WINDOW, strongest } from "./lags";
import type { Drift } from "./set";
import { stretch } from "./stretch";

type Pair = readonly [left: Float32Array, right: Float32Array];

const BLOCK: Frames = 16384;
/** Places that a file is looked for at, between its first sound and its last. */
const PLACES = [0, 0.5, 1];
/** It is there if it explains so much of itself; between blocks of 2.7 s a clock that is farther off explains less. */
const SURE = 0.5;
const MOST_PPM = 150;
/** Least that it runs away from its first place to its last, and how straight it does. */
const LEAST_FRAMES = 2;
const STRAIGHT_FRAMES = 2;
const REFINEMENTS = 3;

/**
 * How far a file's clock was off, found from where it fits at three places, in order; null: it does not fit, or at the
 * same place everywhere. `wanted`: what it should be, of a number of frames from a frame on.
 */
export function driftOf(
  audio: AudioReader,
  places: readonly Frames[],
  wanted: (from: Frames, count: Frames) => Pair,
): Drift | null {
  const [early, middle, late] = places;
  if (early === undefined || middle === undefined || late === undefined) return null;
  const lagAt = (from: Frames, of = audio): number | null => {
    const lags = new Lags();
    lags.add(stretch(of, from, WINDOW), wanted(from - MOST_LAG, WINDOW + 2 * MOST_LAG));
    const { lag, value } = strongest(lags.straight);
    return lags.energy > 0 && value >= SURE * lags.energy ? between(lags.straight, lag) : null;
  };
  const first = lagAt(early);
  const last = first === null ? null : lagAt(late);
  if (first === null || last === null || Math.abs(last - first) < LEAST_FRAMES) return null;
  const slope = (last - first) / (late - early);
  if (Math.abs(slope) * 1e6 > MOST_PPM) return null;
  const half = lagAt(middle);
  if (half === null || Math.abs(half - first - slope * (middle - early)) > STRAIGHT_FRAMES) return null;
  const start = first - slope * (early + WINDOW / 2);
  let found: Drift = { ppm: slope * 1e6, between: start - Math.round(start) };
  // A parabola is true at its top alone: the nearer the copy lies, the better is its place known.
  for (let round = 0; round < REFINEMENTS; round++) {
    const copy = undrifted(audio, found, "measure");
    const [a, b] = [lagAt(early, copy), lagAt(late, copy)];
    if (a === null || b === null) break;
    const more = (b - a) / (late - early);
    const off = a - Math.round(start) - more * (early + WINDOW / 2);
    found = { ppm: found.ppm + more * 1e6, between: found.between + off };
  }
  return Math.abs(found.between) <= 1 ? found : null;
}

/** Where between frames a peak stands, by a parabola through it and its neighbours. */
function between(values: Float64Array, lag: Frames): number {
  const [a, b, c] = [-1, 0, 1].map((k) => values[MOST_LAG + lag + k] ?? 0) as [number, number, number];
  const bend = a - 2 * b + c;
  return bend < 0 ? lag + (0.5 * (a - c)) / bend : lag;
}

/** The loudest windows near the beginning, the middle and the end of what sounds; fewer where they would overlap. */
export function soundingPlaces(audio: AudioReader): readonly Frames[] {
  const energies: number[] = [];
  const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  for (let at = 0; at < audio.frames; at += BLOCK) {
    const n = Math.min(BLOCK, audio.frames - at);
    audio.read(at, n, left, right, 0);
    let sum = 0;
    for (let i = 0; i < n; i++) {
      const [l, r] = [left[i] as number, right[i] as number];
      sum += l * l + r * r;
    }
    energies.push(sum);
  }
  const wide = WINDOW / BLOCK;
  const third = Math.floor((energies.length - wide) / PLACES.length);
  if (third < wide) return [];
  return PLACES.map((place) => {
    const begin = Math.round(place * (energies.length - wide - third));
    let best = begin;
    let most = -1;
    for (let b = begin; b <= begin + third; b++) {
      const sum = energies.slice(b, b + wide).reduce((a, v) => a + v, 0);
      if (sum > most) [best, most] = [b, sum];
    }
    return best * BLOCK;
  });
}

interface Kernel {
  /** Zero crossings on each side. */
  readonly crossings: number;
  /** Of its Kaiser window. */
  readonly beta: number;
  /** Rows of its table to a frame; values between them are interpolated. */
  readonly rows: number;
}

/** `measure`: quick, with a stop band of 90 dB. `keep`: 120 dB, for what is written to a file. */
const KERNELS = {
  measure: { crossings: 24, beta: 9, rows: 512 },
  keep: { crossings: 64, beta: 12, rows: 4096 },
} as const satisfies Readonly<Record<string, Kernel>>;

/** A windowed sinc (Kaiser), from its centre outwards. */
const tableOf = ({ crossings, beta, rows }: Kernel): Float64Array =>
  Float64Array.from({ length: crossings * rows + 2 }, (_, i) => {
    const t = i / rows;
    const edge = t / crossings;
    const x = PI * t;
    return edge >= 1 ? 0 : (t === 0 ? 1 : sin(x) / x) * (besselI0(beta * Math.sqrt(1 - edge * edge)) / besselI0(beta));
  });

/** Audio at the speed that its clock should have had, resampled by a windowed sinc at every frame. */
export function undrifted(
  audio: AudioReader,
  { ppm, between: late }: Drift,
  quality: keyof typeof KERNELS,
): AudioReader {
  const kernel = KERNELS[quality];
  const { crossings, rows } = kernel;
  const speed = 1 - ppm / 1e6;
  const table = tableOf(kernel);
  const frames = Math.ceil(audio.frames / speed);
  return {
    channels: audio.channels,
    frames,
    read(from, count, left, right, offset) {
      const first = Math.floor(from * speed) - crossings - 1;
      const [l, r] = stretch(audio, first, Math.ceil(count * speed) + 2 * crossings + 4);
      for (let i = 0; i < count; i++) {
        const place = (from + i) * speed - late - first;
        const begin = Math.max(0, Math.ceil(place - crossings));
        let [a, b] = [0, 0];
        for (let k = begin; k <= place + crossings && k < l.length; k++) {
          const at = Math.abs(k - place) * rows;
          const row = Math.floor(at);
          const low = table[row] as number;
          const h = low + (at - row) * ((table[row + 1] as number) - low);
          a += h * (l[k] as number);
          b += h * (r[k] as number);
        }
        left[offset + i] = a;
        right[offset + i] = b;
      }
    },
  };
}
