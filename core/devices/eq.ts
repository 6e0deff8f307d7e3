import type { Hertz } from "../units";
import type { BiquadCoefficients } from "./biquad";
import { StereoBiquad, biquad, processSections } from "./biquad";
import type { DeviceDeclaration, Params, Processor } from "./device";
import { dbParam, hertzParam, stepsParam, switchParam, valueOf } from "./device";

const qParam = (id: string, name: string) => ({ ...stepsParam(id, name, "", 0, 12, 1), min: 0.2, taper: "log" as const });

/** Low cut, two shelves, two bells: second-order sections of the W3C Audio EQ Cookbook. A band at 0 dB is left out, bit for bit. */
export const eq: DeviceDeclaration = {
  type: "eq",
  name: "EQ",
  about: "Low cut, two shelves and two bells",
  role: "effect",
  params: [
    switchParam("cut", "Low cut", 0),
    hertzParam("cutHz", "Cut below", 10, 1000, 60),
    hertzParam("lowHz", "Low shelf", 30, 1000, 150),
    dbParam("lowDb", "Low gain", -18, 18, 0),
    hertzParam("bell1Hz", "Bell 1", 40, 8000, 500),
    dbParam("bell1Db", "Bell 1 gain", -18, 18, 0),
    qParam("bell1Q", "Bell 1 Q"),
    hertzParam("bell2Hz", "Bell 2", 200, 18000, 3000),
    dbParam("bell2Db", "Bell 2 gain", -18, 18, 0),
    qParam("bell2Q", "Bell 2 Q"),
    hertzParam("highHz", "High shelf", 1000, 18000, 8000),
    dbParam("highDb", "High gain", -18, 18, 0),
  ],
  linear: true,
  takesKey: false,
  latency: () => 0,
  create({ rate, arena, params }): Processor {
    const sections = eqSections(params, rate).map((k) => new StereoBiquad(k, arena));
    return {
      process(left, right, frames) {
        processSections(sections, left, right, frames);
      },
      get resting() {
        return sections.every((s) => s.resting);
      },
    };
  },
};

/** The sections that do something, in order; also what the picture of the curve is drawn from. */
export function eqSections(params: Params, rate: Hertz): readonly BiquadCoefficients[] {
  const get = (id: string) => valueOf(params, id);
  return [
    ...(get("cut") >= 0.5 ? [biquad.highPass(get("cutHz"), Math.SQRT1_2, rate)] : []),
    ...(get("lowDb") !== 0 ? [biquad.lowShelf(get("lowHz"), get("lowDb"), rate)] : []),
    ...(get("bell1Db") !== 0 ? [biquad.bell(get("bell1Hz"), get("bell1Db"), get("bell1Q"), rate)] : []),
    ...(get("bell2Db") !== 0 ? [biquad.bell(get("bell2Hz"), get("bell2Db"), get("bell2Q"), rate)] : []),
    ...(get("highDb") !== 0 ? [biquad.highShelf(get("highHz"), get("highDb"), rate)] : []),
  ];
}
