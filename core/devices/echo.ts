import { PI, exp, log } from "../math";
import type { Params, Processor } from "./device";
import {
  Glide,
  QUANTUM,
  decayFrames,
  effect,
  fixed,
  hertzParam,
  millisParam,
  percentParam,
  switchParam,
  valueOf,
} from "./device";
import type { Floats } from "../kernels/kernels";

const LONGEST_S = 6;
/** How long the delay takes to follow a change of tempo, as a time constant. */
const FOLLOW_S = 0.08;

const longest = (params: Params, slowest: number) =>
  valueOf(params, "inTempo") >= 0.5 ? Math.min(LONGEST_S, (valueOf(params, "beats") * 60) / slowest) : 2;

/** Places in what the kernel is told and keeps; in front of them stand the four glides. */
const DAMP = 8,
  LOW = 10,
  RUN = 1;

/**
 * Repeats in time with the tempo, or at a time of their own; each one darker, and crossing sides as far as it is told
 * to.
 */
export const echo = effect({
  type: "delay",
  name: "Echo",
  about: "Repeats in tempo, darker each time",
  params: [
    switchParam("inTempo", "In tempo", 1),
    fixed({ id: "beats", name: "Beats", unit: "beats", min: 0.0625, max: 4, default: 0.75, taper: "log", fixed: true }),
    millisParam("timeMs", "Time", 1, 2000, 380),
    percentParam("feedback", "Feedback", 35, 95),
    hertzParam("dampHz", "Damping", 500, 18000, 4500),
    percentParam("cross", "Across", 50),
    percentParam("wet", "Wet", 30),
  ],
  linear: true,
  usesTempo: true,
  tail(params, rate) {
    const feedback = valueOf(params, "feedback") / 100;
    const repeats = feedback === 0 ? 2 : Math.ceil(-76 / log(feedback)) + 2;
    return Math.ceil(repeats * LONGEST_S * rate) + decayFrames(exp((-2 * PI * valueOf(params, "dampHz")) / rate));
  },
  cost: () => 15,
  portrait: "decay",
  create({ rate, arena, controls, tempo }): Processor {
    const { params } = controls;
    const inTempo = valueOf(params, "inTempo") >= 0.5;
    const length = Math.ceil(longest(params, tempo.slowest) * rate) + 4;
    const size = length + 4;
    const ring = arena.float32(2 * size);
    const counts = arena.int32(2);
    counts[RUN] = size;
    const settings = arena.float64(12);
    const wanted = (at: number) => {
      const seconds = inTempo
        ? (valueOf(params, "beats") * 60) / tempo.bpmAt(tempo.toTicks(Math.max(0, at)))
        : valueOf(params, "timeMs") / 1000;
      return Math.max(1, Math.min(length - 4, seconds * rate));
    };
    const follow = inTempo ? 1 - exp(-QUANTUM / (FOLLOW_S * rate)) : 1;
    const time = new Glide(wanted(0), arena);
    const feedback = new Glide(valueOf(params, "feedback") / 100, arena);
    const cross = new Glide(valueOf(params, "cross") / 100, arena);
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const readDamp = () => {
      settings[DAMP] = exp((-2 * PI * Math.min(valueOf(params, "dampHz"), rate * 0.45)) / rate);
    };
    readDamp();
    const put = (place: number, { from, step }: Glide) => {
      settings[place] = from;
      settings[place + 1] = step;
    };

    const quantum = (left: Floats, right: Floats, from: number, at: number) => {
      if (controls.moving) {
        controls.to(at + QUANTUM);
        readDamp();
        feedback.aim(valueOf(params, "feedback") / 100);
        cross.aim(valueOf(params, "cross") / 100);
        wet.aim(valueOf(params, "wet") / 100);
      }
      const goal = wanted(at + QUANTUM);
      const next = time.to + follow * (goal - time.to);
      time.aim(Math.abs(goal - next) < 1e-3 ? goal : next);
      put(0, time);
      put(2, feedback);
      put(4, cross);
      put(6, wet);
      arena.kernels.repeat(
        left.address + 4 * from,
        right.address + 4 * from,
        QUANTUM,
        ring.address,
        size,
        counts.address,
        settings.address,
      );
    };
    return {
      process(left, right, frames, at) {
        for (let from = 0; from < frames; from += QUANTUM) quantum(left, right, from, at + from);
      },
      // In tempo, the delay time goes on moving while nothing is heard, so it may only rest where the tempo does.
      get resting() {
        return (
          (counts[RUN] as number) >= size &&
          settings[LOW] === 0 &&
          settings[LOW + 1] === 0 &&
          !controls.moving &&
          time.from === time.to &&
          !inTempo
        );
      },
    };
  },
});
