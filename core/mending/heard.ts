import { OnsetFinder } from "../analysis/onsets";
import type { AudioReader } from "../audio/audio-reader";
import { dbToGain, gainToDb } from "../math";
import type { Frames, Hertz } from "../units";
import type { Beginnings } from "./tempo";

const BLOCK: Frames = 16384;
/** As much of a set as is listened to for its tempo: more says the same. */
const HEARD_S = 120;
/** Fewer hits of one file have no common shape. */
const LEAST_HITS = 8;

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
  for (const level of [(h: Hit) => h.attackDb, (h: Hit) => h.bodyDb])
    if (part(level, 0.9) - part(level, 0.1) > ALIKE_DB) return null;
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
