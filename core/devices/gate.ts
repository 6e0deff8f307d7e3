import { dbToGain, exp, gainToDb } from "../math";
import type { Params, Processor } from "./device";
import { dbParam, effect, fixed, millisParam, overQuanta, valueOf } from "./device";
import { Lookahead } from "./lookahead";

const lookaheadFrames = (params: Params, rate: number) => Math.round((valueOf(params, "lookaheadMs") * rate) / 1000);

/**
 * Gate with hold and hysteresis: opens above the threshold, closes once the signal has stayed below threshold minus
 * hysteresis for the hold time. The gain moves to its goal exponentially and arrives exactly.
 */
export const gate = effect({
  type: "gate",
  name: "Gate",
  about: "Closes when it is quiet, or opens with a key track",
  params: [
    dbParam("thresholdDb", "Threshold", -80, 0, -40),
    dbParam("hysteresisDb", "Hysteresis", 0, 12, 4),
    dbParam("rangeDb", "Closed", -144, 0, -144),
    millisParam("attackMs", "Attack", 0.1, 50, 1),
    millisParam("holdMs", "Hold", 0, 1000, 30),
    millisParam("releaseMs", "Release", 5, 2000, 120),
    fixed(millisParam("lookaheadMs", "Lookahead", 0, 10, 1)),
  ],
  takesKey: true,
  dynamics: true,
  latency: lookaheadFrames,
  tail: lookaheadFrames,
  cost: () => 7,
  portrait: "transfer",
  create({ rate, arena, controls, maxFrames, leader }): Processor {
    const { params } = controls;
    let opens = 0,
      closes = 0,
      shut = 0,
      attack = 0,
      hold = 0,
      release = 0;
    const update = () => {
      opens = dbToGain(valueOf(params, "thresholdDb"));
      closes = dbToGain(valueOf(params, "thresholdDb") - valueOf(params, "hysteresisDb"));
      shut = dbToGain(valueOf(params, "rangeDb"));
      attack = 1 - exp(-1000 / (valueOf(params, "attackMs") * rate));
      hold = (valueOf(params, "holdMs") * rate) / 1000;
      release = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
    };
    update();
    const ahead = new Lookahead(lookaheadFrames(params, rate), arena);
    const gains = arena.float64(maxFrames);
    let open = false;
    let quiet = 0;
    let gain = shut;
    arena.keeps(
      () => [Number(open), quiet, gain],
      ([isOpen, run = 0, value = 0]) => {
        open = isOpen === 1;
        quiet = run;
        gain = value;
      },
    );
    return {
      process(left, right, frames, at, key) {
        if (leader?.gains) {
          ahead.apply(left, right, leader.gains, frames);
          return;
        }
        arena.kernels.louder(gains.address, (key ? key.left : left).address, (key ? key.right : right).address, frames);
        overQuanta(controls, frames, at, update, (from, to) => {
          for (let i = from; i < to; i++) {
            const peak = gains[i] as number;
            quiet = peak >= closes ? 0 : quiet + 1;
            if (peak >= opens) open = true;
            else if (quiet > hold) open = false;
            const goal = open ? 1 : shut;
            gain += (goal > gain ? attack : release) * (goal - gain);
            if (Math.abs(goal - gain) < 1e-7) gain = goal;
            gains[i] = gain;
          }
        });
        ahead.apply(left, right, gains, frames);
      },
      get resting() {
        return !open && gain === shut && quiet > hold && ahead.resting;
      },
      get heldBackDb() {
        return Math.max(-144, gainToDb(gain));
      },
      gains,
    };
  },
});
