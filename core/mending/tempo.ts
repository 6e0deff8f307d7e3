import { TAU, cos, sin } from "../math";
import type { Bpm, Frames, Hertz } from "../units";

/** Where sounds begin in a file, rising, and how loud each is. */
export interface Beginnings {
  readonly frames: readonly Frames[];
  /** Peaks, one for each frame. */
  readonly levels: readonly number[];
}

/** More beginnings say the same. */
const MOST_BEGINNINGS = 600;
/** Fewer beginnings tell no tempo; files with fewer of their own do not count. */
const LEAST_BEGINNINGS = 32;
const LEAST_HITS = 8;
/** Divisions of a beat that a stated tempo is tried with. */
const MOST_STEPS_OF_BEAT = 12;
/** How much of the beginnings' weight stands together where a grid fits, and does not where it does not. */
const FITS = 0.75;
const FITS_NOT = 0.4;
/** Pulses that are tried, in steps a minute: from slow beats to fast swung sixteenths. */
const [SLOWEST_PULSE, FASTEST_PULSE]: readonly [Bpm, Bpm] = [40, 1100];
/** A tempo is told within this octave. */
const [SLOWEST, FASTEST]: readonly [Bpm, Bpm] = [80, 160];
/** A pulse without accents that is faster may as well be of triplets. */
const FASTEST_PLAIN_PULSE: Bpm = 330;
/** Beginnings with which a first search is done; the whole is searched only around what that finds. */
const FIRST_SEARCH_S = 24;
/** How much of the fit a first search finds beside the right pulse. */
const ROUGHLY = 0.8;

/**
 * The tempo that beginnings keep to; null where none can be told, or where the stated one fits as well. Half or twice
 * of it may be what a person would count: see `otherTempo`.
 *
 * First the pulse: the slowest grid on which the beginnings stand. A grid fits as well as the beginnings' places on the
 * circle of its step agree: the length of their mean vector (Mardia and Jupp, "Directional Statistics", 2000, 2.3),
 * file by file, so that a file that was moved does not count against it. Then the beat: two or four pulses, or three,
 * by which of them the pattern prefers. A stated tempo is tried with every division of its beat up to twelve: triplets
 * and swing keep to it too.
 */
export function heardTempo(beginnings: readonly Beginnings[], rate: Hertz, stated: Bpm | null): Bpm | null {
  const files = thinned(beginnings);
  const count = countOf(files);
  if (count < LEAST_BEGINNINGS) return null;
  if (stated !== null)
    for (let steps = 1; steps <= MOST_STEPS_OF_BEAT; steps++)
      if (agreement(files, rate, stated, steps) > FITS_NOT) return null;
  const pulse = pulseOf(files, rate);
  if (pulse === null) return null;
  const steps = pulsesOfBeat(files, rate, pulse);
  if (steps === null) return null;
  let bpm = pulse / steps;
  while (bpm >= FASTEST) bpm /= 2;
  while (bpm < SLOWEST) bpm *= 2;
  return Math.round(bpm * 20) / 20;
}

/** What else a heard tempo may be counted as: half of a fast one, twice a slow one. */
export const otherTempo = (heard: Bpm): Bpm => (heard > 100 ? heard / 2 : heard * 2);

const countOf = (files: readonly Beginnings[]): number => files.reduce((n, f) => n + f.frames.length, 0);

/** The slowest grid that fits, in steps a minute; null: none does. */
function pulseOf(files: readonly Beginnings[], rate: Hertz): Bpm | null {
  const first = files.map((f) => {
    const end = (f.frames[0] ?? 0) + FIRST_SEARCH_S * rate;
    return { ...f, frames: f.frames.filter((frame) => frame < end) };
  });
  const spanOf = (of: readonly Beginnings[]) =>
    Math.max(4, ...of.map(({ frames }) => ((frames.at(-1) ?? 0) - (frames[0] ?? 0)) / rate));
  // A fifth of a step further at the end of the span is another pulse.
  const coarse = (0.2 * 60) / spanOf(first);
  const exact = (pulse: Bpm) => agreement(files, rate, pulse, 1);
  for (let pulse = SLOWEST_PULSE; pulse <= FASTEST_PULSE; pulse += coarse) {
    if (agreement(first, rate, pulse, 1) < FITS * ROUGHLY) continue;
    const found = highest(exact, pulse, 2 * coarse, (0.05 * 60) / spanOf(files));
    if (found.fit >= FITS) return found.pulse;
  }
  return null;
}

/** The best pulse within a distance of one. */
function highest(fit: (pulse: Bpm) => number, around: Bpm, within: Bpm, step: Bpm): { pulse: Bpm; fit: number } {
  let best = { pulse: around, fit: 0 };
  for (let pulse = around - within; pulse <= around + within; pulse += step) {
    const value = fit(pulse);
    if (value > best.fit) best = { pulse, fit: value };
  }
  return best;
}

/** How far one way to count has to be preferred, over the other and over chance. */
const CLEARLY = 1.25;
const AS_MUCH = 0.45;
const SLOWEST_OF_THREE: Bpm = 52;
const LEAST_PREFERENCE = 0.08;

/** How many pulses a beat has, up to a factor of two: 1 or 3; null where neither is preferred and both are likely. */
function pulsesOfBeat(files: readonly Beginnings[], rate: Hertz, pulse: Bpm): 1 | 3 | null {
  const prefers = (pulses: number) =>
    Math.max(agreement(files, rate, pulse, 1 / pulses), agreement(files, rate, pulse, 1 / pulses, true));
  // The mean vector of places by chance is about as long (Mardia and Jupp, 4.8).
  const least = Math.max(LEAST_PREFERENCE, 1.6 / Math.sqrt(countOf(files)));
  const [two, three] = [Math.max(prefers(2), prefers(4)), prefers(3)];
  // Nothing that counts in two comes round every three pulses. Slow threes are bars of three beats.
  if (three >= least && three > AS_MUCH * two && pulse / 3 >= SLOWEST_OF_THREE) return 3;
  if (two >= least && two > CLEARLY * three) return 1;
  if (pulse / 3 < SLOWEST_OF_THREE) return 1;
  return Math.max(two, three) < least && pulse <= FASTEST_PLAIN_PULSE ? 1 : null;
}

/** As many of each file as there is room for, the first ones. */
function thinned(beginnings: readonly Beginnings[]): readonly Beginnings[] {
  // A set of thousands of files takes no longer than one of as many as there is room for.
  const files = beginnings
    .filter((f) => f.frames.length >= LEAST_HITS)
    .slice(0, Math.floor(MOST_BEGINNINGS / LEAST_HITS));
  const each = Math.max(LEAST_HITS, Math.floor(MOST_BEGINNINGS / Math.max(1, files.length)));
  return files.map((f) => ({ frames: f.frames.slice(0, each), levels: f.levels.slice(0, each) }));
}

/**
 * How well beginnings stand on a grid, 0 to 1: the mean length of their mean vectors, file by file. `accented`: each
 * weighs as much as it is loud.
 */
function agreement(files: readonly Beginnings[], rate: Hertz, bpm: Bpm, stepsOfBeat: number, accented = false): number {
  const steps = (bpm * stepsOfBeat) / 60 / rate;
  let sum = 0;
  let weight = 0;
  for (const { frames, levels } of files) {
    let [x, y] = [0, 0];
    let own = 0;
    for (let i = 0; i < frames.length; i++) {
      const place = (frames[i] as number) * steps;
      const angle = TAU * (place - Math.floor(place));
      const w = accented ? (levels[i] as number) : 1;
      x += w * cos(angle);
      y += w * sin(angle);
      own += w;
    }
    // Loud files weigh no more than soft ones.
    sum += (Math.sqrt(x * x + y * y) / Math.max(1e-9, own)) * frames.length;
    weight += frames.length;
  }
  return weight === 0 ? 0 : sum / weight;
}
