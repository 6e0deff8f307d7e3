import { PI, tan } from "../math";
import type { Processor } from "./device";
import { Glide, decayFrames, effect, hertzParam, overQuanta, percentParam, stepsParam, valueOf } from "./device";

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
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          arena.kernels.sweep(
            left.address + 4 * from,
            right.address + 4 * from,
            to - from,
            z.address,
            g.from,
            g.step,
            k.from,
            k.step,
            wet.from,
            wet.step,
            shape,
          );
        });
      },
      get resting() {
        return z[0] === 0 && z[1] === 0 && z[2] === 0 && z[3] === 0;
      },
    };
  },
});
