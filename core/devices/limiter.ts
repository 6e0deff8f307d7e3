import { dbToGain, exp, gainToDb } from "../math";
import { interpolationRows } from "../analysis/true-peak";
import type { Params, Processor } from "./device";
import { dbParam, effect, fixed, millisParam, overQuanta, switchParam, valueOf } from "./device";
import { Lookahead } from "./lookahead";

const lookaheadFrames = (params: Params, rate: number) => Math.max(1, Math.round((valueOf(params, "lookaheadMs") * rate) / 1000));
/** Taps of the interpolator in front of a point between two frames: how much later the peaks between frames are known. */
const TRUE_PEAK_DELAY = 12;
const TAPS = 24;
const delayFrames = (params: Params, rate: number) => lookaheadFrames(params, rate) + (valueOf(params, "truePeak") >= 0.5 ? TRUE_PEAK_DELAY : 0);

/** Places in what the kernel is told and keeps. */
const GAIN = 3, RUN = 3;

/**
 * Lookahead peak limiter: the gain each sample needs, its minimum over the lookahead window, averaged over the same
 * window, meets the signal delayed by it, so the output never passes the ceiling. Below the ceiling the gain is exactly 1.
 * With `truePeak` the peaks between samples count too, interpolated as ITU-R BS.1770-4, annex 2 measures them.
 */
export const limiter = effect({
  type: "limiter",
  name: "Limit",
  about: "Keeps peaks under a ceiling by looking ahead",
  params: [
    dbParam("ceilingDb", "Ceiling", -24, 0, -1),
    fixed(millisParam("lookaheadMs", "Lookahead", 0.5, 10, 2)),
    millisParam("releaseMs", "Release", 5, 1000, 80),
    switchParam("truePeak", "Peaks between samples", 0),
  ],
  dynamics: true,
  latency: delayFrames,
  tail: delayFrames,
  create({ rate, arena, controls, maxFrames, leader }): Processor {
    const { params } = controls;
    const settings = arena.float64(5);
    const update = () => {
      settings[0] = dbToGain(valueOf(params, "ceilingDb"));
      settings[1] = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
    };
    update();
    const between = valueOf(params, "truePeak") >= 0.5;
    const window = lookaheadFrames(params, rate) + 1;
    const ahead = new Lookahead(delayFrames(params, rate), arena);
    const gains = arena.float64(maxFrames);
    // Sliding minimum by a queue of rising candidates (Lemire 2006), then a moving average of the held gains.
    const candidates = arena.float64(window);
    const stamps = arena.float64(window);
    const held = arena.float64(window).fill(1);
    const counts = arena.int32(4);
    counts[RUN] = window;
    settings[GAIN] = 1;
    settings[GAIN + 1] = window;
    const rows = between ? interpolationRows() : new Float32Array(0);
    const pastLeft = arena.float32(between ? 2 * TAPS : 0);
    const pastRight = arena.float32(between ? 2 * TAPS : 0);
    let pastSlot = 0;
    let lastBetween = 0;

    /** Largest magnitude at the frame TRUE_PEAK_DELAY ago, and at the three points before and after it. */
    const peakBetween = (l: number, r: number): number => {
      const before = lastBetween;
      // Written twice, so that the last TAPS samples always lie in one piece.
      pastLeft[pastSlot] = pastLeft[pastSlot + TAPS] = l;
      pastRight[pastSlot] = pastRight[pastSlot + TAPS] = r;
      pastSlot = pastSlot + 1 === TAPS ? 0 : pastSlot + 1;
      let peak = Math.max(Math.abs(pastLeft[pastSlot + TRUE_PEAK_DELAY - 1] as number), Math.abs(pastRight[pastSlot + TRUE_PEAK_DELAY - 1] as number));
      lastBetween = 0;
      for (let row = 0; row < 3 * TAPS; row += TAPS) {
        let a = 0;
        let b = 0;
        for (let k = 0; k < TAPS; k++) {
          const h = rows[row + k] as number;
          a += h * (pastLeft[pastSlot + k] as number);
          b += h * (pastRight[pastSlot + k] as number);
        }
        lastBetween = Math.max(lastBetween, Math.abs(a), Math.abs(b));
      }
      peak = Math.max(peak, lastBetween, before);
      return peak;
    };

    return {
      process(left, right, frames, at) {
        if (leader?.gains) {
          ahead.apply(left, right, leader.gains, frames);
          return;
        }
        if (between) for (let i = 0; i < frames; i++) gains[i] = peakBetween(left[i] as number, right[i] as number);
        else arena.kernels.louder(gains.address, left.address, right.address, frames);
        overQuanta(controls, frames, at, update, (from, to) =>
          arena.kernels.limit(gains.address + 8 * from, to - from, window, candidates.address, stamps.address, held.address, counts.address, settings.address));
        ahead.apply(left, right, gains, frames);
      },
      get resting() {
        return ahead.resting && (counts[RUN] as number) >= window;
      },
      get heldBackDb() {
        return gainToDb(settings[GAIN] as number);
      },
      gains,
    };
  },
});
