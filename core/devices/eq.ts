import type { Hertz } from "../units";
import type { BiquadCoefficients } from "./biquad";
import { StereoBiquad, biquad, poleRadius } from "./biquad";
import type { Params, Processor } from "./device";
import { dbParam, decayFrames, effect, hertzParam, overQuanta, ratioParam, switchParam, valueOf } from "./device";

const qParam = (id: string, name: string) => ratioParam(id, name, "", 0.2, 12, 1);

/**
 * Low cut, two shelves, two bells: second-order sections of the W3C Audio EQ Cookbook. A band at 0 dB is left out, bit
 * for bit.
 */
export const eq = effect({
  type: "eq",
  name: "EQ",
  about: "Low cut, two shelves and two bells",
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
  tail: (params, rate) => eqSections(params, rate).reduce((sum, k) => sum + decayFrames(poleRadius(k)), 0),
  cost: () => 6,
  portrait: "response",
  create({ rate, arena, controls }): Processor {
    // Where bands may move, all of them stand ready, also those that stand at 0 dB for a moment.
    const all = controls.moving || controls.loose;
    const design = () => eqSections(controls.params, rate, all);
    let targets = design();
    const sections = targets.map((k) => new StereoBiquad(k, arena));
    const update = () => {
      targets = design();
    };
    /** Those that do something: a band at 0 dB with nothing left in it gives back what it is given, bit for bit. */
    const working = () =>
      all ? sections.filter((s, i) => !s.resting || !isFlat(targets[i] as BiquadCoefficients)) : sections;
    let running = working();
    let stale = false;
    return {
      process(left, right, frames, at) {
        if (controls.moving) {
          stale = true;
          overQuanta(controls, frames, at, update, (from, to) =>
            sections.forEach((s, i) => s.glide(targets[i] as BiquadCoefficients, left, right, from, to)),
          );
          return;
        }
        if (stale) {
          running = working();
          stale = running.some((s) => isFlat(targets[sections.indexOf(s)] as BiquadCoefficients));
        }
        for (const section of running) section.process(left, right, frames);
      },
      get resting() {
        return sections.every((s) => s.resting);
      },
    };
  },
});

const isFlat = ({ b0, b1, b2, a1, a2 }: BiquadCoefficients): boolean => b0 === 1 && b1 === a1 && b2 === a2;

/** The sections that do something, in order, or `all` of them; also what the picture of the curve is drawn from. */
export function eqSections(params: Params, rate: Hertz, all = false): readonly BiquadCoefficients[] {
  const get = (id: string) => valueOf(params, id);
  return [
    ...(get("cut") >= 0.5 ? [biquad.highPass(get("cutHz"), Math.SQRT1_2, rate)] : []),
    ...(all || get("lowDb") !== 0 ? [biquad.lowShelf(get("lowHz"), get("lowDb"), rate)] : []),
    ...(all || get("bell1Db") !== 0 ? [biquad.bell(get("bell1Hz"), get("bell1Db"), get("bell1Q"), rate)] : []),
    ...(all || get("bell2Db") !== 0 ? [biquad.bell(get("bell2Hz"), get("bell2Db"), get("bell2Q"), rate)] : []),
    ...(all || get("highDb") !== 0 ? [biquad.highShelf(get("highHz"), get("highDb"), rate)] : []),
  ];
}
