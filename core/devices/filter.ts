import { PI, tan } from "../math";
import type { Processor } from "./device";
import {
  FLUSH,
  Glide,
  QUANTUM,
  decayFrames,
  effect,
  hertzParam,
  overQuanta,
  percentParam,
  stepsParam,
  valueOf,
} from "./device";

const damping = (resonance: number) => 2 - 1.96 * (resonance / 100);

/**
 * State-variable filter in its trapezoidal form, which stays stable while it is swept. V. Zavalishin, The Art of VA
 * Filter Design, ch. 4.
 */
export const filter = effect({
  type: "filter",
  name: "Filter",
  about: "A low, band or high pass to sweep",
  params: [
    stepsParam("shape", "Low, band, high", "", 0, 2, 0),
    hertzParam("cutoffHz", "Cutoff", 20, 20000, 1200),
    percentParam("resonance", "Resonance", 20),
    percentParam("wet", "Wet", 100),
  ],
  linear: true,
  tail(params, rate) {
    const w = (2 * PI * Math.min(valueOf(params, "cutoffHz"), rate * 0.45)) / rate;
    // A pole pair of damping d decays by half the damping times its frequency; below resonance it splits, the slower
    // one ruling.
    const d = damping(valueOf(params, "resonance"));
    return decayFrames(1 - Math.min(0.5, (w * d) / (4 + 2 * w)));
  },
  cost: () => 14,
  portrait: "response",
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const shape = Math.round(valueOf(params, "shape"));
    const coefficient = () => tan((PI * Math.min(valueOf(params, "cutoffHz"), rate * 0.45)) / rate);
    const g = new Glide(coefficient(), arena);
    const k = new Glide(damping(valueOf(params, "resonance")), arena);
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const update = () => {
      g.aim(coefficient());
      k.aim(damping(valueOf(params, "resonance")));
      wet.aim(valueOf(params, "wet") / 100);
    };
    const z = arena.float64(4);

    const run = (x: Float32Array, state: number, from: number, to: number) => {
      let s1 = z[state] as number,
        s2 = z[state + 1] as number;
      const gStep = g.step,
        kStep = k.step,
        wetStep = wet.step;
      let gNow = g.from,
        kNow = k.from,
        wetNow = wet.from;
      for (let start = from; start < to; start += QUANTUM) {
        for (let i = start; i < start + QUANTUM; i++) {
          gNow += gStep;
          kNow += kStep;
          wetNow += wetStep;
          const input = x[i] as number;
          const high = (input - (gNow + kNow) * s1 - s2) / (1 + gNow * (gNow + kNow));
          const band = gNow * high + s1;
          const low = gNow * band + s2;
          s1 = gNow * high + band;
          s2 = gNow * band + low;
          // A band pass of unity at its centre.
          const out = shape === 0 ? low : shape === 1 ? band * kNow : high;
          x[i] = input + wetNow * (out - input);
        }
        if (Math.abs(s1) < FLUSH && Math.abs(s2) < FLUSH) s1 = s2 = 0;
      }
      z[state] = s1;
      z[state + 1] = s2;
    };
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          run(left, 0, from, to);
          run(right, 2, from, to);
        });
      },
      get resting() {
        return z[0] === 0 && z[1] === 0 && z[2] === 0 && z[3] === 0;
      },
    };
  },
});
