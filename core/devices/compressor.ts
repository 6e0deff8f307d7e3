import { dbToGain, exp } from "../math";
import type { Params, Processor } from "./device";
import { Glide, dbParam, effect, fixed, millisParam, overQuanta, ratioParam, valueOf } from "./device";
import { Lookahead } from "./lookahead";

const lookaheadFrames = (params: Params, rate: number) => Math.round((valueOf(params, "lookaheadMs") * rate) / 1000);

/** Places in what the kernel is told, behind the curve and the times. */
const MAKE_UP = 6,
  REDUCTION = 8;

/** Feed-forward compressor on the louder channel's peak, gain smoothed in dB, optionally steered by a key track. */
export const compressor = effect({
  type: "compressor",
  name: "Comp",
  about: "Evens out level, or ducks under a key track",
  params: [
    dbParam("thresholdDb", "Threshold", -60, 0, -18),
    ratioParam("ratio", "Ratio", ":1", 1, 20, 3),
    dbParam("kneeDb", "Knee", 0, 24, 6),
    millisParam("attackMs", "Attack", 0.1, 200, 12),
    millisParam("releaseMs", "Release", 10, 2000, 160),
    fixed(millisParam("lookaheadMs", "Lookahead", 0, 10, 0)),
    dbParam("makeupDb", "Make-up", 0, 24, 0),
  ],
  takesKey: true,
  dynamics: true,
  latency: lookaheadFrames,
  tail: lookaheadFrames,
  cost: () => 8,
  portrait: "transfer",
  create({ rate, arena, controls, maxFrames, leader }): Processor {
    const { params } = controls;
    const settings = arena.float64(9);
    const makeup = new Glide(0, arena);
    const read = () => {
      const threshold = valueOf(params, "thresholdDb");
      const knee = valueOf(params, "kneeDb");
      settings[0] = threshold;
      settings[1] = 1 / valueOf(params, "ratio") - 1;
      settings[2] = knee;
      settings[3] = 1 - exp(-1000 / (valueOf(params, "attackMs") * rate));
      settings[4] = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
      settings[5] = dbToGain(threshold - knee / 2);
    };
    const makeupGain = () => dbToGain(valueOf(params, "makeupDb"));
    read();
    makeup.from = makeup.to = makeupGain();
    const update = () => {
      read();
      makeup.aim(makeupGain());
    };
    const ahead = new Lookahead(lookaheadFrames(params, rate), arena);
    const gains = arena.float64(maxFrames);
    return {
      process(left, right, frames, at, key) {
        if (leader?.gains) {
          ahead.apply(left, right, leader.gains, frames);
          return;
        }
        const { louder, compress } = arena.kernels;
        louder(gains.address, (key ? key.left : left).address, (key ? key.right : right).address, frames);
        overQuanta(controls, frames, at, update, (from, to) => {
          settings[MAKE_UP] = makeup.from;
          settings[MAKE_UP + 1] = makeup.step;
          compress(gains.address + 8 * from, to - from, settings.address);
        });
        ahead.apply(left, right, gains, frames);
      },
      get resting() {
        return settings[REDUCTION] === 0 && ahead.resting;
      },
      get heldBackDb() {
        return settings[REDUCTION] as number;
      },
      gains,
    };
  },
});
