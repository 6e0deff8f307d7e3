import { dbToGain } from "../math";
import type { DeviceDeclaration, Processor } from "./device";
import { dbParam, percentParam, switchParam, valueOf } from "./device";

/** Gain, polarity, mono and stereo width; memoryless and linear. */
export const utility: DeviceDeclaration = {
  type: "utility",
  name: "Utility",
  about: "Gain, polarity, mono and width",
  role: "effect",
  params: [
    dbParam("gainDb", "Gain", -60, 24, 0),
    switchParam("invert", "Invert polarity", 0),
    switchParam("mono", "Mono", 0),
    percentParam("width", "Width", 100, 200),
  ],
  linear: true,
  takesKey: false,
  latency: () => 0,
  create({ params }): Processor {
    const gain = dbToGain(valueOf(params, "gainDb")) * (valueOf(params, "invert") >= 0.5 ? -1 : 1);
    const width = valueOf(params, "mono") >= 0.5 ? 0 : valueOf(params, "width") / 100;
    const same = (gain * (1 + width)) / 2;
    const cross = (gain * (1 - width)) / 2;
    return {
      process(left, right, frames) {
        for (let i = 0; i < frames; i++) {
          const l = left[i] as number;
          const r = right[i] as number;
          left[i] = l * same + r * cross;
          right[i] = r * same + l * cross;
        }
      },
      resting: true,
    };
  },
};
