import { dbToGain, exp, gainToDb } from "../math";
import type { Arena } from "../kernels/arena";
import type { Doubles, Floats } from "../kernels/kernels";
import type { Db } from "../units";
import type { Params, Processor } from "./device";
import { QUANTUM, dbParam, effect, fixed, millisParam, overQuanta, switchParam, valueOf } from "./device";
import { Lookahead } from "./lookahead";
import { PEAK_DELAY, PeakStage } from "./peak-stage";

const lookaheadFrames = (params: Params, rate: number) =>
  Math.max(1, Math.round((valueOf(params, "lookaheadMs") * rate) / 1000));
const isBetween = (params: Params) => valueOf(params, "truePeak") >= 0.5;
/** Steps that look again at what the first one left between the frames, each over so many frames. */
const MORE_STEPS = 2;
const MORE_WINDOW = 32;
/** What the steps aim under the ceiling: what hides in a grid of eight points a frame. */
const MARGIN_DB = 0.05;
const delayFrames = (params: Params, rate: number) =>
  lookaheadFrames(params, rate) + (isBetween(params) ? PEAK_DELAY + MORE_STEPS * (PEAK_DELAY + MORE_WINDOW - 1) : 0);

/** Places in what the kernel is told and keeps. */
const GAIN = 3,
  RUN = 3;

/**
 * Lookahead peak limiter: the gain each sample needs, its minimum over the lookahead window, averaged over the same
 * window, meets the signal delayed by it, so the output never passes the ceiling. Below the ceiling the gain is exactly
 * 1. With `truePeak` the peaks between samples count too (`PeakStage`), also those that the gain itself makes by
 * moving.
 */
export const limiter = effect({
  type: "limiter",
  name: "Limit",
  about: "Keeps peaks under a ceiling by looking ahead; those between samples to 0.1 dB, below 0.45 of the rate",
  params: [
    dbParam("ceilingDb", "Ceiling", -24, 0, -1),
    fixed(millisParam("lookaheadMs", "Lookahead", 0.5, 10, 2)),
    millisParam("releaseMs", "Release", 5, 1000, 80),
    switchParam("truePeak", "Peaks between samples", 0),
  ],
  dynamics: true,
  latency: delayFrames,
  tail: delayFrames,
  cost: () => 9,
  portrait: "transfer",
  create({ rate, arena, controls, maxFrames, leader }): Processor {
    const { params } = controls;
    const release = () => 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
    const ahead = new Lookahead(delayFrames(params, rate), arena);
    const gains = arena.float64(maxFrames);
    const apply = (left: Floats, right: Floats, frames: number) =>
      ahead.apply(left, right, leader?.gains ?? gains, frames);
    const window = lookaheadFrames(params, rate) + 1;
    const finder = isBetween(params) ? betweenFrames(arena, window) : onFrames(arena, window);
    const update = () => finder.set(valueOf(params, "ceilingDb"), release());
    update();
    return {
      process(left, right, frames, at) {
        if (!leader?.gains)
          overQuanta(controls, frames, at, update, (from, to) => finder.find(left, right, gains, from, to));
        apply(left, right, frames);
      },
      get resting() {
        return ahead.resting && finder.resting;
      },
      get heldBackDb() {
        return gainToDb(finder.gain);
      },
      gains,
    };
  },
});

/** Finds the gains of frames as the lookahead lets them out. */
interface GainFinder {
  set(ceilingDb: Db, release: number): void;
  find(left: Floats, right: Floats, gains: Doubles, from: number, to: number): void;
  readonly gain: number;
  readonly resting: boolean;
}

/** By the samples alone. */
function onFrames(arena: Arena, window: number): GainFinder {
  const settings = arena.float64(5);
  // Sliding minimum by a queue of rising candidates (Lemire 2006), then a moving average of the held gains.
  const candidates = arena.float64(window);
  const stamps = arena.float64(window);
  const held = arena.float64(window).fill(1);
  const counts = arena.int32(4);
  counts[RUN] = window;
  settings[GAIN] = 1;
  settings[GAIN + 1] = window;
  return {
    set(ceilingDb, release) {
      settings[0] = dbToGain(ceilingDb);
      settings[1] = release;
    },
    find(left, right, gains, from, to) {
      arena.kernels.louder(gains.address + 8 * from, left.address + 4 * from, right.address + 4 * from, to - from);
      arena.kernels.limit(
        gains.address + 8 * from,
        to - from,
        window,
        candidates.address,
        stamps.address,
        held.address,
        counts.address,
        settings.address,
      );
    },
    get gain() {
      return settings[GAIN] as number;
    },
    get resting() {
      return (counts[RUN] as number) >= window;
    },
  };
}

/** By what lies between them too, in steps. The gains of all steps meet at the frame they are for. */
function betweenFrames(arena: Arena, window: number): GainFinder {
  const stages = [window, ...Array.from({ length: MORE_STEPS }, () => MORE_WINDOW)].map(
    (w) => new PeakStage(arena, w, QUANTUM),
  );
  /** Gains of a step wait until those of the steps after it are known. */
  const waiting = stages.map((_, i) => {
    const wait = stages.slice(i + 1).reduce((sum, s) => sum + s.delay, 0);
    return { ring: arena.float64(wait + 1).fill(1), at: 0 };
  });
  arena.keeps(
    () => waiting.map((w) => w.at),
    (places) => waiting.forEach((w, i) => (w.at = places[i] ?? 0)),
  );
  const left = arena.float32(QUANTUM),
    right = arena.float32(QUANTUM),
    found = arena.float64(QUANTUM);
  return {
    set(ceilingDb, release) {
      for (const stage of stages) stage.set(dbToGain(ceilingDb - MARGIN_DB), release);
    },
    find(l, r, gains, from, to) {
      for (let q = from; q < to; q += QUANTUM) {
        left.set(l.subarray(q, q + QUANTUM));
        right.set(r.subarray(q, q + QUANTUM));
        gains.fill(1, q, q + QUANTUM);
        stages.forEach((stage, i) => {
          stage.run(left, right, QUANTUM, found);
          const wait = waiting[i] as (typeof waiting)[number];
          const { ring } = wait;
          for (let k = 0; k < QUANTUM; k++) {
            ring[wait.at] = found[k] as number;
            wait.at = wait.at + 1 === ring.length ? 0 : wait.at + 1;
            gains[q + k] = (gains[q + k] as number) * (ring[wait.at] as number);
          }
        });
      }
    },
    get gain() {
      return stages.reduce((product, s) => product * s.gain, 1);
    },
    get resting() {
      return stages.every((s) => s.resting);
    },
  };
}
