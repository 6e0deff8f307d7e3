import { dbToGain, exp, gainToDb } from "../math";
import type { Params, Processor } from "./device";
import { Glide, dbParam, effect, fixed, millisParam, overQuanta, ratioParam, valueOf } from "./device";
import { Lookahead } from "./lookahead";

/** Gain change in dB that a static compressor curve asks for at a level. Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4. */
export function compressionDb(levelDb: number, thresholdDb: number, ratio: number, kneeDb: number): number {
  const over = levelDb - thresholdDb;
  if (2 * over <= -kneeDb) return 0;
  const slope = 1 / ratio - 1;
  if (kneeDb > 0 && 2 * Math.abs(over) < kneeDb) {
    const into = over + kneeDb / 2;
    return (slope * into * into) / (2 * kneeDb);
  }
  return slope * over;
}

const lookaheadFrames = (params: Params, rate: number) => Math.round((valueOf(params, "lookaheadMs") * rate) / 1000);

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
  create({ rate, arena, controls, maxFrames, leader }): Processor {
    const { params } = controls;
    let threshold = 0, ratio = 1, knee = 0, attack = 0, release = 0, floor = 0;
    const makeup = new Glide(0);
    const read = () => {
      threshold = valueOf(params, "thresholdDb");
      ratio = valueOf(params, "ratio");
      knee = valueOf(params, "kneeDb");
      attack = 1 - exp(-1000 / (valueOf(params, "attackMs") * rate));
      release = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
      floor = dbToGain(threshold - knee / 2);
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
    let reduction = 0;
    return {
      process(left, right, frames, at, key) {
        if (leader?.gains) {
          ahead.apply(left, right, leader.gains, frames);
          return;
        }
        const keyLeft = key ? key.left : left;
        const keyRight = key ? key.right : right;
        overQuanta(controls, frames, at, update, (from, to) => {
          const step = makeup.step;
          let made = makeup.from;
          for (let i = from; i < to; i++) {
            const peak = Math.max(Math.abs(keyLeft[i] as number), Math.abs(keyRight[i] as number));
            const wanted = peak > floor ? compressionDb(gainToDb(peak), threshold, ratio, knee) : 0;
            reduction += (wanted < reduction ? attack : release) * (wanted - reduction);
            // A ten-billionth of a dB is far below a float's resolution: the gain is then exactly the make-up.
            if (reduction > -1e-10) reduction = 0;
            made += step;
            gains[i] = reduction === 0 ? made : made * dbToGain(reduction);
          }
        });
        ahead.apply(left, right, gains, frames);
      },
      get resting() {
        return reduction === 0 && ahead.resting;
      },
      get heldBackDb() {
        return reduction;
      },
      gains,
    };
  },
});
