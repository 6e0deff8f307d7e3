import { offsetFrames } from "../analysis/correlation";
import type { AudioReader } from "../audio/audio-reader";
import type { Sink } from "../engine/render";
import { TRIM_FLOOR } from "../engine/tail";
import { dbToGain, gainToDb } from "../math";
import type { Db, Depth, Frames } from "../units";

/**
 * What a delivered file is, from end to end, beside a fresh render of what it should be. Levels are null where nothing
 * is left.
 */
export interface Content {
  /**
   * Peak of the difference, as far as holding at full scale does not explain it, and the frame of the file it stands
   * at.
   */
  readonly residueDb: Db | null;
  readonly residueAt: Frames;
  /** Samples of the render that lie beyond what a whole-number file can hold, and by how much the highest does. */
  readonly clippedSamples: number;
  readonly lostDb: Db;
  /** How many frames the content comes late; null when one of both is silent. */
  readonly offsetFrames: Frames | null;
  /** What the difference looks like; null where there is none. */
  readonly cause: Cause | null;
  /** Frames the render has: where the file should end. */
  readonly frames: Frames;
  /** Behind the render's last frame that is not silence: where a trimmed file should end. Earlier proofs do not say. */
  readonly soundEnd?: Frames;
}

/** What was done to a file that differs from its render, as far as one thing explains it. */
export type Cause =
  | { readonly kind: "silent" | "differs in silence" | "sounds in silence" | "sides swapped" | "inverted" }
  /** How late it comes; early: below zero. */
  | { readonly kind: "shifted"; readonly frames: Frames }
  | { readonly kind: "gain"; readonly db: Db }
  /** What was looked at is right, and something behind it is not; or nothing explains it. */
  | { readonly kind: "further on" | "other content" };

/**
 * Peaks of what a file may differ from its render by: its last step, rounded and dithered. Float files hold the render
 * bit for bit.
 */
export const CONTENT_LIMIT_DB: Record<Depth, Db> = { "32f": -140, "24": -133, "16": -85 };
/**
 * How much of a file is kept beside its render to find out what a difference is: from its first sound on. A power of
 * two.
 */
const WINDOW: Frames = 32768;
const BLOCK: Frames = 4096;
const SOUND_FLOOR = 3.16e-5;

/** Holds one file against its render while that streams past in order. A mono file is held against both channels. */
export class ContentCheck {
  readonly sink: Sink;
  private at: Frames = 0;
  private residue = 0;
  private residueAt: Frames = 0;
  private clipped = 0;
  private beyond = 1;
  private soundEnd: Frames = 0;
  private readonly left = new Float32Array(BLOCK);
  private readonly right = new Float32Array(BLOCK);
  private readonly windowFrom: Frames;
  private readonly fresh: readonly [left: Float32Array, right: Float32Array];

  constructor(
    private readonly file: AudioReader,
    private readonly depth: Depth,
  ) {
    this.windowFrom = Math.max(0, Math.min(firstSound(file), file.frames - WINDOW));
    this.fresh = [new Float32Array(WINDOW), new Float32Array(WINDOW)];
    this.sink = this.take.bind(this);
  }

  private take(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let done = 0; done < count;) {
      const n = Math.min(BLOCK, count - done);
      let i = n;
      const at = offset + done - 1;
      while (i > 0 && Math.abs(left[at + i] as number) <= TRIM_FLOOR && Math.abs(right[at + i] as number) <= TRIM_FLOOR)
        i--;
      if (i > 0) this.soundEnd = this.at + i;
      this.compare(left, right, offset + done, n);
      done += n;
      this.at += n;
    }
  }

  private compare(left: Float32Array, right: Float32Array, offset: number, n: Frames): void {
    const held = Math.max(0, Math.min(n, this.file.frames - this.at));
    if (held > 0) this.file.read(this.at, held, this.left, this.right, 0);
    this.keep(left, right, offset, held);
    const whole = this.depth !== "32f";
    const steps = this.depth === "16" ? 32768 : 8388608;
    const [lowest, highest] = [-1, 1 - 1 / steps];
    for (const [mine, fresh] of [
      [this.left, left],
      [this.right, right],
    ] as const) {
      for (let i = 0; i < held; i++) {
        let wanted = fresh[offset + i] as number;
        if (whole && (wanted > highest || wanted < lowest)) {
          // What rounds to full scale has lost nothing.
          if (wanted > highest + 0.5 / steps || wanted < lowest - 0.5 / steps) this.clipped++;
          this.beyond = Math.max(this.beyond, Math.abs(wanted));
          wanted = wanted > 0 ? highest : lowest;
        }
        const difference = Math.abs((mine[i] as number) - wanted);
        if (difference > this.residue || difference !== difference) {
          this.residue = difference === difference ? difference : Infinity;
          this.residueAt = this.at + i;
        }
      }
    }
  }

  /** Keeps the render of the window. What lies behind the file's end is not in the file, so it is not in the window. */
  private keep(left: Float32Array, right: Float32Array, offset: number, held: Frames): void {
    const from = Math.max(0, this.windowFrom - this.at);
    const to = Math.min(held, this.windowFrom + WINDOW - this.at);
    if (to <= from) return;
    const into = this.at + from - this.windowFrom;
    this.fresh[0].set(left.subarray(offset + from, offset + to), into);
    this.fresh[1].set(right.subarray(offset + from, offset + to), into);
  }

  finish(): Content {
    const count = Math.min(WINDOW, this.file.frames - this.windowFrom);
    const mine = [new Float32Array(WINDOW), new Float32Array(WINDOW)] as const;
    if (count > 0) this.file.read(this.windowFrom, count, mine[0], mine[1], 0);
    const limit = dbToGain(CONTENT_LIMIT_DB[this.depth]);
    const offset = offsetFrames(middle(mine), middle(this.fresh));
    return {
      residueDb: this.residue > 0 ? gainToDb(this.residue) : null,
      residueAt: this.residueAt,
      clippedSamples: this.clipped,
      lostDb: gainToDb(this.beyond),
      offsetFrames: offset,
      cause: this.residue > limit ? causeOf(mine, this.fresh, offset, limit) : null,
      frames: this.at,
      soundEnd: this.soundEnd,
    };
  }
}

type Pair = readonly [left: Float32Array, right: Float32Array];

/** Both channels as one in which neither can hide the other. */
const middle = ([left, right]: Pair): Float32Array => left.map((v, i) => v + (right[i] as number) * 0.5);

/**
 * The likeliest single thing that was done to a file, if one explains the difference; else that its content is another.
 */
function causeOf(mine: Pair, fresh: Pair, offset: Frames | null, limit: number): Cause {
  const sounds = (pair: Pair) => pair.some((x) => x.some((v) => Math.abs(v) > SOUND_FLOOR));
  if (!sounds(mine)) return { kind: sounds(fresh) ? "silent" : "differs in silence" };
  if (!sounds(fresh)) return { kind: "sounds in silence" };
  if (offset !== null && offset !== 0) return { kind: "shifted", frames: offset };
  if (leaves([mine[1], mine[0]], fresh) <= 2 * limit) return { kind: "sides swapped" };
  let product = 0;
  let energy = 0;
  for (const c of [0, 1] as const)
    mine[c].forEach((v, i) => {
      const f = fresh[c][i] as number;
      product += v * f;
      energy += f * f;
    });
  const gain = energy > 0 ? product / energy : 0;
  const peak = Math.max(...fresh.map((x) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)));
  const scaled: Pair = [fresh[0].map((v) => v * gain), fresh[1].map((v) => v * gain)];
  if (Math.abs(gain) > 0.1 && leaves(mine, scaled) <= Math.max(2 * limit, peak * 1e-3)) {
    if (gain < 0) return { kind: "inverted" };
    const db = gainToDb(gain);
    if (Math.abs(db) > 0.001) return { kind: "gain", db };
  }
  return { kind: leaves(mine, fresh) <= 2 * limit ? "further on" : "other content" };
}

/** Peak of what is left of one when the other is taken away. */
function leaves(a: Pair, b: Pair): number {
  let peak = 0;
  for (const c of [0, 1] as const)
    a[c].forEach((v, i) => {
      peak = Math.max(peak, Math.abs(v - (b[c][i] as number)));
    });
  return peak;
}

/** The first frame above -90 dBFS, or 0. */
function firstSound(file: AudioReader): Frames {
  const left = new Float32Array(BLOCK);
  const right = new Float32Array(BLOCK);
  for (let from = 0; from < file.frames; from += BLOCK) {
    const n = Math.min(BLOCK, file.frames - from);
    file.read(from, n, left, right, 0);
    for (let i = 0; i < n; i++)
      if (Math.abs(left[i] as number) > SOUND_FLOOR || Math.abs(right[i] as number) > SOUND_FLOOR) return from + i;
  }
  return 0;
}
