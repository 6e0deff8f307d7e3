import { PI, exp, pow, tan } from "../math";
import type { Processor } from "./device";
import {
  Glide,
  QUANTUM,
  decayFrames,
  effect,
  fixed,
  hertzParam,
  millisParam,
  overQuanta,
  percentParam,
  secondsParam,
  valueOf,
} from "./device";
import { Lookahead } from "./lookahead";
import type { Floats } from "../kernels/kernels";

const LINES = 8;
/** Delay lengths in seconds: mutually detuned so that no two lines share an echo pattern. */
const DELAYS_S = [0.0297, 0.0331, 0.0371, 0.0411, 0.0437, 0.0479, 0.0533, 0.0599];

/**
 * Feedback delay network: eight lines, Householder feedback matrix, one-pole damping in every line whose gain is set
 * for the decay time. Jot & Chaigne, AES 90th Convention, 1991. Linear and time-invariant, so returns fed by shares add
 * up.
 */
export const reverb = effect({
  type: "reverb",
  name: "Hall",
  about: "A diffuse room with a decay you set",
  params: [
    secondsParam("decayS", "Decay", 0.2, 12, 2.4),
    fixed(percentParam("size", "Size", 70)),
    hertzParam("dampHz", "Damping", 500, 18000, 5200),
    hertzParam("lowCutHz", "Low cut", 10, 800, 120),
    fixed(millisParam("preMs", "Pre-delay", 0, 200, 18)),
    percentParam("wet", "Wet", 100),
  ],
  linear: true,
  // 60 dB a decay; the network falls through DECADES of 20 dB before it is flushed. The cut after it is short beside
  // that.
  tail: (params, rate) =>
    Math.ceil((valueOf(params, "decayS") * 34 * 20 * rate) / 60) +
    decayFrames(1 - (2 * PI * valueOf(params, "lowCutHz")) / rate) +
    Math.round(rate * 0.4),
  cost: () => 55,
  portrait: "decay",
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const scale = 0.35 + (0.65 * valueOf(params, "size")) / 100;
    const lengths = DELAYS_S.map((s) => Math.max(8, Math.round(s * scale * 1.6 * rate)));
    /** Gain of each line, its change a frame while the decay moves, and the state of its damping. */
    const network = arena.float64(3 * LINES);
    /** What the way out is told and keeps: see the kernel. */
    const leaving = arena.float64(8);
    const dampOf = () => exp((-2 * PI * Math.min(valueOf(params, "dampHz"), rate * 0.45)) / rate);
    const damping = new Glide(dampOf(), arena);
    const gainOf = (k: number) => pow(10, (-3 * (lengths[k] as number)) / rate / valueOf(params, "decayS"));
    for (let k = 0; k < LINES; k++) network[k] = gainOf(k);
    const read = () => {
      const cut = tan((PI * valueOf(params, "lowCutHz")) / rate);
      leaving[2] = 1 / (1 + cut);
      leaving[3] = (1 - cut) / (1 + cut);
    };
    read();
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const update = () => {
      for (let k = 0; k < LINES; k++) network[LINES + k] = (gainOf(k) - (network[k] as number)) / QUANTUM;
      damping.aim(dampOf());
      read();
      wet.aim(valueOf(params, "wet") / 100);
    };
    const pre = Math.round((valueOf(params, "preMs") * rate) / 1000) + 1;

    const offsets = lengths.map((_, k) => lengths.slice(0, k).reduce((a, b) => a + b, 0));
    const total = lengths.reduce((a, b) => a + b, 0);
    const ring = arena.float64(total);
    const places = arena.int32(3 * LINES);
    lengths.forEach((length, k) => {
      const start = offsets[k] ?? 0;
      places[k] = places[LINES + k] = start;
      places[2 * LINES + k] = start + length;
    });
    /** What the lines give, eight numbers a frame. */
    const outs = arena.float64(LINES * QUANTUM);
    const inLeft = arena.float32(QUANTUM),
      inRight = arena.float32(QUANTUM);
    const before = new Lookahead(pre, arena);
    const ones = arena.float64(QUANTUM).fill(1);
    const longest = Math.max(...lengths) + pre;
    let silentRun = longest;
    arena.keeps(
      () => [silentRun],
      ([run = 0]) => {
        silentRun = run;
      },
    );

    const quantum = (left: Floats, right: Floats, from: number) => {
      inLeft.set(left.subarray(from, from + QUANTUM));
      inRight.set(right.subarray(from, from + QUANTUM));
      before.apply(inLeft, inRight, ones, QUANTUM);
      const quiet = arena.kernels.feedbackNetwork(
        inLeft.address,
        inRight.address,
        QUANTUM,
        outs.address,
        ring.address,
        places.address,
        places.address + 4 * LINES,
        places.address + 8 * LINES,
        network.address,
        damping.from,
        damping.step,
      );
      silentRun = quiet === QUANTUM ? silentRun + QUANTUM : quiet;
      leaving[0] = wet.from;
      leaving[1] = wet.step;
      arena.kernels.outOfNetwork(
        left.address + 4 * from,
        right.address + 4 * from,
        QUANTUM,
        outs.address,
        leaving.address,
      );
    };

    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          for (let q = from; q < to; q += QUANTUM) quantum(left, right, q);
        });
      },
      get resting() {
        return (
          silentRun >= longest &&
          leaving.subarray(4).every((v) => v === 0) &&
          network.subarray(2 * LINES).every((v) => v === 0)
        );
      },
    };
  },
});
