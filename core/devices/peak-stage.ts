import type { Arena } from "../kernels/arena";
import type { Doubles, Floats } from "../kernels/kernels";
import { PI, besselI0, sin } from "../math";
import type { Frames } from "../units";
import { Lookahead } from "./lookahead";

/**
 * Points looked at from one frame to the next: on a grid of eight, 0.17 dB of the highest tone there is can hide, and
 * less of all others.
 */
const OVER = 8;
/** Frames on each side of a point that its value is made of. */
const HALF: Frames = 32;
const TAPS = 2 * HALF;
/** Kaiser window of the interpolator: with 64 taps flat to 0.47 of the rate. */
const BETA = 6;

/**
 * Next to half the rate an interpolator of any length is never long enough: what it misses there depends on what lies
 * far away. So the band above 0.465 of the rate is listened to by itself, and its level, times this, is added to what
 * was found. Music has next to nothing there; noise up to the last hertz is held lower by as much as may hide in it.
 */
const UNSEEN = 1;
const TOP_CORNER = 0.465;
/** Parts of the way that the top band's mean square goes each frame when it rises, and when it falls. */
const RISE = 1 / 12;
const FALL = 1 / 1024;

/** High-pass over the same frames, for the one in their middle. */
function topBandRow(): Float32Array {
  const row = new Float32Array(TAPS);
  for (let k = 0; k < TAPS - 1; k++) {
    const t = k - (HALF - 1);
    const edge = t / HALF;
    const window = besselI0(BETA * Math.sqrt(Math.max(0, 1 - edge * edge))) / besselI0(BETA);
    row[k] = (t === 0 ? 1 - 2 * TOP_CORNER : -sin(2 * PI * TOP_CORNER * t) / (PI * t)) * window;
  }
  return row;
}

/** How much later the peaks between frames are known. */
export const PEAK_DELAY: Frames = HALF;

/** Places in what the kernel is told and keeps. */
const CEILING = 0,
  RELEASE = 1,
  GAIN = 3,
  SUM = 4,
  RUN = 3;

/** Row p: taps for the point p / OVER behind frame HALF - 1 of those it reaches. */
function interpolatorRows(): Float32Array {
  const rows = new Float32Array(OVER * TAPS);
  for (let p = 0; p < OVER; p++) {
    for (let k = 0; k < TAPS; k++) {
      const t = k - (HALF - 1) - p / OVER;
      const edge = t / HALF;
      rows[p * TAPS + k] =
        ((t === 0 ? 1 : sin(PI * t) / (PI * t)) * besselI0(BETA * Math.sqrt(Math.max(0, 1 - edge * edge)))) /
        besselI0(BETA);
    }
  }
  return rows;
}

const ROWS = interpolatorRows();
/** No point exceeds the largest sample in reach times this. */
const WORST_GAIN = Math.max(
  ...Array.from({ length: OVER }, (_, p) =>
    ROWS.subarray(p * TAPS, (p + 1) * TAPS).reduce((sum, h) => sum + Math.abs(h), 0),
  ),
);

/**
 * One step of true-peak limiting: finds the gain that keeps every point between frames under the ceiling, on a grid of
 * eight points a frame, its least over a window, averaged over the window. Where the gain moves fast it bends what lies
 * between the frames, so another step looks at what this one leaves.
 */
export class PeakStage {
  /** How much later its gains are known. */
  readonly delay: Frames;
  private readonly settings: Doubles;
  private readonly counts;
  private readonly candidates: Doubles;
  private readonly stamps: Doubles;
  private readonly held: Doubles;
  private readonly rows: Floats;
  private readonly left: Floats;
  private readonly right: Floats;
  private readonly fineLeft: Floats;
  private readonly fineRight: Floats;
  private readonly extremes: Floats;
  private readonly top: Floats;
  private readonly topRow: Floats;
  private topSquare = 0;
  private readonly levels: Doubles;
  private readonly ahead: Lookahead;
  private before = 0;
  /** Frames that were too soft to matter, which the interpolator's reach is counted in. */
  private soft = TAPS;

  constructor(
    private readonly arena: Arena,
    private readonly window: number,
    frames: Frames,
  ) {
    this.delay = PEAK_DELAY + window - 1;
    this.settings = arena.float64(5);
    this.settings[GAIN] = 1;
    this.settings[SUM] = window;
    this.counts = arena.int32(4);
    this.counts[RUN] = window;
    this.candidates = arena.float64(window);
    this.stamps = arena.float64(window);
    this.held = arena.float64(window).fill(1);
    this.rows = arena.apart(() => arena.float32(OVER * TAPS));
    this.rows.set(ROWS);
    this.left = arena.float32(TAPS + frames);
    this.right = arena.float32(TAPS + frames);
    this.fineLeft = arena.float32(OVER * frames);
    this.fineRight = arena.float32(OVER * frames);
    this.extremes = arena.float32(2 * frames);
    this.top = arena.float32(2 * frames);
    this.topRow = arena.float32(TAPS);
    this.topRow.set(topBandRow());
    this.levels = arena.float64(frames);
    this.ahead = new Lookahead(this.delay, arena);
    arena.keeps(
      () => [this.topSquare, this.before, this.soft],
      ([square = 0, before = 0, soft = TAPS]) => {
        this.topSquare = square;
        this.before = before;
        this.soft = soft;
      },
    );
  }

  /** `release`: part of the way back to unity that the gain goes each frame. */
  set(ceiling: number, release: number): void {
    this.settings[CEILING] = ceiling;
    this.settings[RELEASE] = release;
  }

  /** The gain found last. */
  get gain(): number {
    return this.settings[GAIN] as number;
  }

  get resting(): boolean {
    return this.ahead.resting && (this.counts[RUN] as number) >= this.window;
  }

  /**
   * Takes `frames` frames in, a multiple of four, and lets as many out, `delay` frames later and at their gains, in
   * place. `gains`: of the frames let out.
   */
  run(left: Floats, right: Floats, frames: Frames, gains: Doubles): void {
    const { arena, levels, settings, candidates, stamps, held, counts, window } = this;
    this.look(left, right, frames);
    arena.kernels.limit(
      levels.address,
      frames,
      window,
      candidates.address,
      stamps.address,
      held.address,
      counts.address,
      settings.address,
    );
    gains.set(levels.subarray(0, frames));
    this.ahead.apply(left, right, levels, frames);
  }

  /** Largest magnitude at and around each frame HALF ago, into `levels`. */
  private look(left: Floats, right: Floats, frames: Frames): void {
    const { arena, levels, extremes } = this;
    this.left.set(left.subarray(0, frames), TAPS);
    this.right.set(right.subarray(0, frames), TAPS);
    const peak = arena.kernels.blockPeak(left.address, right.address, frames);
    const isSoft = peak * WORST_GAIN <= (this.settings[CEILING] as number);
    if (isSoft && this.soft >= TAPS) {
      levels.fill(0, 0, frames);
      this.before = 0;
      this.topSquare = 0;
    } else {
      for (const [from, fine] of [
        [this.left, this.fineLeft],
        [this.right, this.fineRight],
      ] as const)
        arena.kernels.interpolate(fine.address, from.address + 4, frames, OVER, this.rows.address, TAPS);
      arena.kernels.ranges(this.fineLeft.address, this.fineRight.address, OVER * frames, OVER, extremes.address);
      this.listenToTop(frames);
      let before = this.before;
      for (let i = 0; i < frames; i++) {
        const here = Math.max(-(extremes[2 * i] as number), extremes[2 * i + 1] as number);
        levels[i] = Math.max(here, before) + (levels[i] as number);
        before = here;
      }
      this.before = before;
    }
    this.soft = isSoft ? Math.min(TAPS, this.soft + frames) : 0;
    this.left.copyWithin(0, frames, frames + TAPS);
    this.right.copyWithin(0, frames, frames + TAPS);
  }

  /** What may be missed of the top band at each frame HALF ago, into `levels`. */
  private listenToTop(frames: Frames): void {
    const { arena, top, topRow, levels } = this;
    [this.left, this.right].forEach((x, side) =>
      arena.kernels.interpolate(top.address + 4 * side * frames, x.address + 4, frames, 1, topRow.address, TAPS),
    );
    for (let i = 0; i < frames; i++) {
      const l = top[i] as number,
        r = top[frames + i] as number;
      const square = Math.max(l * l, r * r);
      this.topSquare += (square > this.topSquare ? RISE : FALL) * (square - this.topSquare);
      if (this.topSquare < FLOOR) this.topSquare = 0;
      levels[i] = UNSEEN * Math.sqrt(this.topSquare);
    }
  }
}

/** A mean square that nothing is missed of, and far from where numbers get slow. */
const FLOOR = 1e-12;
