import { dbToGain } from "../math";
import type { Processor } from "./device";
import { Glide, QUANTUM, dbParam, effect, overQuanta, percentParam, valueOf } from "./device";
import { FILTER_HALF, ROW_TAPS, designLowPass, designRows, filterTaps } from "./oversample";
import type { Floats } from "../kernels/kernels";

const OVER = 4;
const TAPS = filterTaps(OVER);
/** Both filters delay by half their length. */
const LATENCY = 2 * FILTER_HALF;
const IN_KEEP = ROW_TAPS - 1;
const FAST_KEEP = 2 * FILTER_HALF * OVER;

/**
 * Soft saturation at four times the rate, so that its harmonics do not fold back: a rational tanh with a bias that
 * brings even harmonics in, between linear-phase filters of 80 dB. What it adds at rest is taken off, so silence stays
 * silence.
 */
export const saturator = effect({
  type: "saturator",
  name: "Warmth",
  about: "Soft overdrive with odd and even harmonics",
  params: [
    dbParam("driveDb", "Drive", 0, 36, 9),
    percentParam("even", "Even harmonics", 25),
    dbParam("outputDb", "Output", -36, 12, -4),
    percentParam("wet", "Wet", 100),
  ],
  ringsAhead: true,
  latency: () => LATENCY,
  tail: () => 2 * LATENCY + 2 * QUANTUM,
  cost: () => 60,
  portrait: "transfer",
  create({ arena, controls }): Processor {
    const { params } = controls;
    const drive = new Glide(dbToGain(valueOf(params, "driveDb")));
    const bias = new Glide(valueOf(params, "even") / 200);
    const out = new Glide(dbToGain(valueOf(params, "outputDb")));
    const wet = new Glide(valueOf(params, "wet") / 100);
    const update = () => {
      drive.aim(dbToGain(valueOf(params, "driveDb")));
      bias.aim(valueOf(params, "even") / 200);
      out.aim(dbToGain(valueOf(params, "outputDb")));
      wet.aim(valueOf(params, "wet") / 100);
    };
    const rows = arena.float32(OVER * ROW_TAPS);
    designRows(rows, OVER);
    const low = arena.float32(TAPS);
    designLowPass(low, OVER);
    const sides = [0, 1].map(() => ({
      input: arena.float32(IN_KEEP + QUANTUM + 4),
      fast: arena.float32(FAST_KEEP + QUANTUM * OVER + 4),
      out: arena.float32(QUANTUM),
      /** The plain signal, held back as long as the driven one. */
      dry: arena.float32(LATENCY + QUANTUM),
    }));
    let silentRun = 3 * LATENCY + 2 * QUANTUM;

    const run = (x: Float32Array, side: (typeof sides)[number], from: number) => {
      const { interpolate, decimate } = arena.kernels;
      const { input, fast, dry } = side;
      const quantum = x.subarray(from, from + QUANTUM);
      input.set(quantum, IN_KEEP);
      dry.set(quantum, LATENCY);
      interpolate(fast.address + 4 * FAST_KEEP, input.address, QUANTUM, OVER, rows.address, ROW_TAPS);
      arena.kernels.drive(
        fast.address + 4 * FAST_KEEP,
        QUANTUM * OVER,
        drive.from,
        drive.step / OVER,
        bias.from,
        bias.step / OVER,
        1,
      );
      side.out.fill(0);
      decimate(side.out.address, fast.address, QUANTUM, OVER, low.address, TAPS);
      const outStep = out.step,
        wetStep = wet.step;
      let o = out.from,
        w = wet.from;
      for (let i = 0; i < QUANTUM; i++) {
        o += outStep;
        w += wetStep;
        const plain = dry[i] as number;
        x[from + i] = plain + w * ((side.out[i] as number) * o - plain);
      }
      input.copyWithin(0, QUANTUM, QUANTUM + IN_KEEP);
      fast.copyWithin(0, QUANTUM * OVER, QUANTUM * OVER + FAST_KEEP);
      dry.copyWithin(0, QUANTUM);
    };
    const silent = (x: Float32Array, from: number) => {
      for (let i = from; i < from + QUANTUM; i++) if (x[i] !== 0) return false;
      return true;
    };
    const quantum = (left: Floats, right: Floats, from: number) => {
      silentRun = silent(left, from) && silent(right, from) ? silentRun + QUANTUM : 0;
      for (const [side, x] of [left, right].entries()) run(x, sides[side] as (typeof sides)[number], from);
    };
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          for (let q = from; q < to; q += QUANTUM) quantum(left, right, q);
        });
      },
      get resting() {
        return silentRun >= 3 * LATENCY + 2 * QUANTUM;
      },
    };
  },
});

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3. */
export function shape(x: number): number {
  if (x >= 3) return 1;
  if (x <= -3) return -1;
  const z = x * x;
  return (x * (27 + z)) / (27 + 9 * z);
}
