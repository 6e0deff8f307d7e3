import { OnsetFinder } from "../analysis/onsets";
import type { AudioReader } from "../audio/audio-reader";
import { TAU, cos, dbToGain, gainToDb, sin } from "../math";
import type { Bpm, Frames, Hertz } from "../units";

const BLOCK: Frames = 16384;
/** As much of a set as is listened to for its tempo: more says the same. */
const HEARD_S = 120;
const MOST_BEGINNINGS = 600;
/** Fewer beginnings tell no tempo, and fewer hits of one file no common shape. */
const LEAST_BEGINNINGS = 32;
const LEAST_HITS = 8;

/** Where sounds begin in a file, rising, and how loud each is. */
export interface Beginnings {
  readonly frames: readonly Frames[];
  /** Peaks, one for each frame. */
  readonly levels: readonly number[];
}

/** Where sounds begin in each file. `onProgress` gets 0 to 1 and throws to stop. */
export function beginningsOf(
  files: readonly AudioReader[],
  rate: Hertz,
  onProgress: (part: number) => void,
): readonly Beginnings[] {
  const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  return files.map((audio, f) => {
    const finder = new OnsetFinder(rate);
    const end = Math.min(audio.frames, HEARD_S * rate);
    for (let at = 0; at < end; at += BLOCK) {
      const n = Math.min(BLOCK, end - at);
      audio.read(at, n, left, right, 0);
      finder.push(left, right, 0, n);
      onProgress((f + at / end) / files.length);
    }
    return { frames: finder.onsets, levels: finder.levels };
  });
}

/** Divisions of a beat that a stated tempo is tried with. */
const MOST_STEPS_OF_BEAT = 12;
/** How much of the beginnings' weight stands together where a grid fits, and does not where it does not. */
const FITS = 0.75;
const FITS_NOT = 0.4;
/** Pulses that are tried, in steps a minute: from slow beats to fast sixteenths. */
const [SLOWEST_PULSE, FASTEST_PULSE]: readonly [Bpm, Bpm] = [40, 760];
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
const AS_MUCH = 0.8;
const SLOWEST_OF_THREE: Bpm = 52;
const LEAST_PREFERENCE = 0.14;

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

/** A first hit within so much of the file's beginning may have been taken in by a fade. */
const AT_START_S = 0.02;
const HIT_S = 0.05;
/** A rise is over at this part of the hit's peak. */
const RISEN = 0.7;
/** Hits of one instrument rise about as fast as each other; one that is dulled takes this much longer, and so long. */
const TIMES_LONGER = 4;
const LEAST_LONGER_S = 0.004;

/** How long the first hit rises, and how long the others do, in seconds. */
export interface DulledHit {
  readonly riseS: number;
  readonly othersS: number;
}

/**
 * Whether the hit that a file begins with rises far slower than all the others of it, and is then what they are: a
 * fade, or a filter that had yet to wake up, took its attack. Null: it does not, or the file's hits are too few or too
 * unlike to tell.
 */
export function dulledFirstHit(audio: AudioReader, beginnings: readonly Frames[], rate: Hertz): DulledHit | null {
  const first = firstHeard(audio, Math.round(AT_START_S * rate));
  // A slow rise is no beginning to the ear that finds them, so the first hit may be missing among them.
  const others = beginnings.filter((at) => first !== null && at > first + HIT_S * rate);
  if (first === null || others.length < LEAST_HITS) return null;
  const hit = hitOf(audio, first, rate);
  const hits = others.slice(0, 64).map((at) => hitOf(audio, at, rate));
  const part = (of: (h: Hit) => number, share: number): number => {
    const sorted = hits.map(of).sort((a, b) => a - b);
    return sorted[Math.floor(share * (sorted.length - 1))] as number;
  };
  for (const of of [(h: Hit) => h.attackDb, (h: Hit) => h.bodyDb])
    if (part(of, 0.9) - part(of, 0.1) > ALIKE_DB) return null;
  if (Math.abs(hit.bodyDb - part((h) => h.bodyDb, 0.5)) > SAME_BODY_DB) return null;
  if (hit.attackDb > part((h) => h.attackDb, 0.1) - SOFTER_DB) return null;
  const slowest = part((h) => h.rise, 0.9);
  const least = Math.max(TIMES_LONGER * slowest, slowest + LEAST_LONGER_S * rate);
  return hit.rise > least && climbs(audio, first, hit) ? { riseS: hit.rise / rate, othersS: slowest / rate } : null;
}

const HEARD = dbToGain(-48);

/** The first frame that is heard, before `end`; null: none is. */
function firstHeard(audio: AudioReader, end: Frames): Frames | null {
  const n = Math.min(end, audio.frames);
  const [left, right] = [new Float32Array(n), new Float32Array(n)];
  audio.read(0, n, left, right, 0);
  for (let i = 0; i < n; i++) if (Math.abs(left[i] as number) > HEARD || Math.abs(right[i] as number) > HEARD) return i;
  return null;
}

/** Hits of one instrument: their attacks, and what follows them, are as loud as each other, give or take. */
const ALIKE_DB = 6;
const SAME_BODY_DB = 3;
/** What a dulled attack lacks at least. */
const SOFTER_DB = 12;
const ATTACK_S = 0.003;
const BODY_FROM_S = 0.03;

/** A dulled hit comes out of silence and grows; a file that begins in the middle of a sound does neither. */
const QUARTERS = 4;
const GROWS_DB = 2;
const GROWS_ALTOGETHER_DB = 15;

/** Whether the power of each quarter of the rise, from the file's beginning on, is more than that of the one before. */
function climbs(audio: AudioReader, first: Frames, { rise }: Hit): boolean {
  const n = first + rise;
  const [left, right] = [new Float32Array(n), new Float32Array(n)];
  audio.read(0, n, left, right, 0);
  const power = (q: number) =>
    powerDb(left, right, Math.floor((q * n) / QUARTERS), Math.floor(((q + 1) * n) / QUARTERS));
  for (let q = 1; q < QUARTERS; q++) if (power(q) < power(q - 1) + GROWS_DB) return false;
  return power(QUARTERS - 1) > power(0) + GROWS_ALTOGETHER_DB;
}

function powerDb(left: Float32Array, right: Float32Array, from: Frames, to: Frames): number {
  let sum = 0;
  for (let i = from; i < to; i++)
    sum += (left[i] as number) * (left[i] as number) + (right[i] as number) * (right[i] as number);
  return Math.max(-200, 0.5 * gainToDb(sum / Math.max(1, 2 * (to - from))));
}

interface Hit {
  readonly peak: number;
  /** Frames from its beginning until it is nearly as loud as it gets. */
  readonly rise: Frames;
  /** Power of its first milliseconds, and of what follows once it has risen. */
  readonly attackDb: number;
  readonly bodyDb: number;
}

function hitOf(audio: AudioReader, at: Frames, rate: Hertz): Hit {
  const n = Math.min(Math.round(HIT_S * rate), audio.frames - at);
  const [left, right] = [new Float32Array(n), new Float32Array(n)];
  audio.read(at, n, left, right, 0);
  const level = (i: number) => Math.max(Math.abs(left[i] as number), Math.abs(right[i] as number));
  let peak = 0;
  for (let i = 0; i < n; i++) peak = Math.max(peak, level(i));
  let rise = 0;
  while (rise < n && level(rise) < RISEN * peak) rise++;
  const attack = Math.min(n, Math.round(ATTACK_S * rate));
  const body = Math.min(n, Math.round(BODY_FROM_S * rate));
  return { peak, rise, attackDb: powerDb(left, right, 0, attack), bodyDb: powerDb(left, right, body, n) };
}
