import { dbToGain } from "../math";
import type { Processor } from "./device";
import { Glide, QUANTUM, dbParam, effect, overQuanta, percentParam, valueOf } from "./device";
import { FILTER_HALF, ROW_TAPS, designLowPass, designRows, filterTaps } from "./oversample";
import type { Floats } from "../kernels/kernels";

/** Times the rate while the curve is passed slowly, and while it is passed fast. */
const OVER = 4,
  FINE = 16;
/** Both filters delay by half their length. */
const LATENCY = 2 * FILTER_HALF;
const IN_KEEP = 2 * FILTER_HALF;
/**
 * Steps at OVER times the rate up to this, in units of the curve (which goes from -3 to 3), fold nothing back above
 * -80 dB: measured with sines from 440 Hz to 17 kHz at 0 to 36 dB of drive.
 */
const SLOW_STEP = 0.75;
/** The same of the places between two steps at FINE times the rate; and the most of them. */
const FINE_STEP = 1.3,
  MOST_POINTS = 32;

/**
 * Soft saturation by a rational tanh, with a bias that brings even harmonics in, between linear-phase filters of 80 dB.
 * What it adds at rest is taken off, so silence stays silence. It runs at four times the rate; where the signal goes
 * through the curve so fast that harmonics would fold back from there, at sixteen times, and the curve is averaged
 * along the straight lines between the steps (J. Parker, V. Zavalishin, E. Le Bivic, DAFx 2016, with their integral
 * taken as a sum). Each quantum of 64 frames chooses for itself, and fades from one rate to the other over its length.
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
  // eslint-disable-next-line max-lines-per-function -- state and loop are one closure: a field costs a look-up a frame
  create({ arena, controls }): Processor {
    const { params } = controls;
    const drive = new Glide(dbToGain(valueOf(params, "driveDb")), arena);
    const bias = new Glide(valueOf(params, "even") / 200, arena);
    const out = new Glide(dbToGain(valueOf(params, "outputDb")), arena);
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const update = () => {
      drive.aim(dbToGain(valueOf(params, "driveDb")));
      bias.aim(valueOf(params, "even") / 200);
      out.aim(dbToGain(valueOf(params, "outputDb")));
      wet.aim(valueOf(params, "wet") / 100);
    };
    const filters = (over: number, late: number) => {
      const rows = arena.float32(over * ROW_TAPS);
      designRows(rows, over);
      const low = arena.float32(filterTaps(over));
      const plain = new Float32Array(low.length);
      designLowPass(plain, over);
      low.set(plain.subarray(0, low.length - late), late);
      return { rows, low, taps: filterTaps(over), keep: 2 * FILTER_HALF * over };
    };
    const slow = filters(OVER, 0);
    // At the fine rate everything comes one step late, and so does the filter.
    const fine = filters(FINE, 1);
    const sides = [0, 1].map(() => ({
      input: arena.float32(IN_KEEP + QUANTUM + 4),
      slow: arena.float32(slow.keep + QUANTUM * OVER + 4),
      fine: arena.float32(fine.keep + QUANTUM * FINE + 4),
      /** Steps at the fine rate before the curve, behind the last of the quantum before. */
      steps: arena.float32(1 + QUANTUM * FINE),
      out: arena.float32(QUANTUM),
      /** The plain signal, held back as long as the driven one. */
      dry: arena.float32(LATENCY + QUANTUM),
      /** Whether the last quantum was made at the fine rate; frames since one was, and since one was not. */
      wasFine: false,
      sinceFine: LATENCY + QUANTUM,
      sinceSlow: 0,
      carry: 0,
    }));
    let silentRun = 3 * LATENCY + 2 * QUANTUM;
    arena.keeps(
      () => [silentRun, ...sides.flatMap((s) => [Number(s.wasFine), s.sinceFine, s.sinceSlow, s.carry])],
      ([run = 0, ...kept]) => {
        silentRun = run;
        sides.forEach((side, i) => {
          const [wasFine, sinceFine = 0, sinceSlow = 0, carry = 0] = kept.slice(4 * i, 4 * i + 4);
          Object.assign(side, { wasFine: wasFine === 1, sinceFine, sinceSlow, carry });
        });
      },
    );

    /** Multiplies part of a buffer by a straight line from `from` to `to`. */
    const fade = (x: Float32Array, first: number, count: number, from: number, to: number) => {
      for (let i = 0; i < count; i++)
        x[first + i] = (x[first + i] as number) * (from + ((to - from) * (i + 1)) / count);
    };
    /** Puts a quantum at the fine rate through the curve. */
    const driveFinely = (side: (typeof sides)[number], points: number) => {
      const { input, steps, fine: x } = side;
      const { interpolate, driveFine } = arena.kernels;
      const first = x.address + 4 * fine.keep;
      steps.copyWithin(0, QUANTUM * FINE);
      interpolate(steps.address + 4, input.address, QUANTUM, FINE, fine.rows.address, ROW_TAPS);
      if (!side.wasFine) {
        // What came before is not known at this rate; it stands as the first step, of which next to nothing is heard.
        steps[0] = steps[1] as number;
        side.carry = driveFine(first, steps.address, 1, points, drive.from, 0, bias.from, 0, 0, 1);
      }
      side.carry = driveFine(
        first,
        steps.address,
        QUANTUM * FINE,
        points,
        drive.from,
        drive.step / FINE,
        bias.from,
        bias.step / FINE,
        side.carry,
        1,
      );
    };

    /** `x`: address of a quantum. */
    const run = (x: number, side: (typeof sides)[number]) => {
      const { interpolate, decimate, longestStep, blend, move } = arena.kernels;
      const { input, dry } = side;
      move(input.address + 4 * IN_KEEP, x, QUANTUM);
      move(dry.address + 4 * LATENCY, x, QUANTUM);
      const first = side.slow.address + 4 * slow.keep;
      interpolate(first, input.address, QUANTUM, OVER, slow.rows.address, ROW_TAPS);
      // In units of the curve.
      const step = longestStep(first, QUANTUM * OVER) * Math.max(drive.from, drive.to);
      /** Whether anything was made at the fine rate that may still be heard. */
      const fineBefore = side.sinceFine < LATENCY + QUANTUM;
      const isFine = step > SLOW_STEP;
      const changes = isFine !== side.wasFine;
      if (!isFine || changes) {
        const { from: gain, step: gainStep } = drive;
        arena.kernels.drive(first, QUANTUM * OVER, gain, gainStep / OVER, bias.from, bias.step / OVER, 1);
        if (changes) fade(side.slow, slow.keep, QUANTUM * OVER, isFine ? 1 : 0, isFine ? 0 : 1);
        side.sinceSlow = 0;
      } else {
        side.slow.fill(0, slow.keep);
        side.sinceSlow += QUANTUM;
      }
      if (isFine || changes) {
        let points = 4;
        while (points < MOST_POINTS && (step * OVER) / FINE > FINE_STEP * points) points *= 2;
        driveFinely(side, points);
        if (changes) fade(side.fine, fine.keep, QUANTUM * FINE, isFine ? 0 : 1, isFine ? 1 : 0);
        side.sinceFine = 0;
      } else if (fineBefore) {
        side.fine.fill(0, fine.keep);
        side.sinceFine += QUANTUM;
      }
      side.wasFine = isFine;
      side.out.fill(0);
      if (side.sinceSlow < LATENCY + QUANTUM)
        decimate(side.out.address, side.slow.address, QUANTUM, OVER, slow.low.address, slow.taps);
      if (side.sinceFine < LATENCY + QUANTUM)
        decimate(side.out.address, side.fine.address, QUANTUM, FINE, fine.low.address, fine.taps);
      blend(x, dry.address, side.out.address, QUANTUM, out.from, out.step, wet.from, wet.step);
      move(input.address, input.address + 4 * QUANTUM, IN_KEEP);
      move(side.slow.address, side.slow.address + 4 * QUANTUM * OVER, slow.keep);
      // Else all of it is zero.
      if (fineBefore || side.sinceFine < LATENCY + QUANTUM)
        move(side.fine.address, side.fine.address + 4 * QUANTUM * FINE, fine.keep);
      move(dry.address, dry.address + 4 * QUANTUM, LATENCY);
    };
    const silent = (x: Float32Array, from: number) => {
      for (let i = from; i < from + QUANTUM; i++) if (x[i] !== 0) return false;
      return true;
    };
    const quantum = (left: Floats, right: Floats, from: number) => {
      silentRun = silent(left, from) && silent(right, from) ? silentRun + QUANTUM : 0;
      run(left.address + 4 * from, sides[0] as (typeof sides)[number]);
      run(right.address + 4 * from, sides[1] as (typeof sides)[number]);
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
