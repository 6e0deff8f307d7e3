import { dbToGain } from "../math";
import type { Processor } from "./device";
import { Glide, dbParam, effect, overQuanta, percentParam, switchParam, valueOf } from "./device";

/** Gain, polarity, mono and stereo width; memoryless and linear. */
export const utility = effect({
  type: "utility",
  name: "Utility",
  about: "Gain, polarity, mono and width",
  params: [
    dbParam("gainDb", "Gain", -60, 24, 0),
    switchParam("invert", "Invert polarity", 0),
    switchParam("mono", "Mono", 0),
    percentParam("width", "Width", 100, 200),
  ],
  linear: true,
  tail: () => 0,
  cost: () => 4,
  create({ arena, controls }): Processor {
    const { params } = controls;
    const gain = () => dbToGain(valueOf(params, "gainDb")) * (valueOf(params, "invert") >= 0.5 ? -1 : 1);
    const width = () => (valueOf(params, "mono") >= 0.5 ? 0 : valueOf(params, "width") / 100);
    const same = new Glide((gain() * (1 + width())) / 2, arena);
    const cross = new Glide((gain() * (1 - width())) / 2, arena);
    const update = () => {
      same.aim((gain() * (1 + width())) / 2);
      cross.aim((gain() * (1 - width())) / 2);
    };
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          arena.kernels.widen(
            left.address + 4 * from,
            right.address + 4 * from,
            to - from,
            same.from,
            same.step,
            cross.from,
            cross.step,
          );
        });
      },
      resting: true,
    };
  },
});
