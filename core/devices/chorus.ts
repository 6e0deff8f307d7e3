import { TAU, sin } from "../math";
import type { Processor } from "./device";
import { Glide, QUANTUM, effect, fixed, hertzParam, millisParam, percentParam, valueOf } from "./device";
import type { Floats } from "../kernels/kernels";

const CENTRE_S = 0.012;
const DEEPEST_S = 0.008;

/** Where in the swing each copy stands: two on the left, two on the right. */
const SHIFTS = [0, 0.5, 0.25, 0.75];
const RUN = 1;

/** Two copies a side, their delays swinging a quarter apart, free-running from the timeline's zero. */
export const chorus = effect({
  type: "chorus",
  name: "Chorus",
  about: "Copies that drift around the sound and widen it",
  params: [
    fixed(hertzParam("rateHz", "Rate", 0.02, 5, 0.6)),
    millisParam("depthMs", "Depth", 0, DEEPEST_S * 1000, 3),
    percentParam("wet", "Wet", 45),
  ],
  linear: true,
  wanders: true,
  tail: (_, rate) => Math.ceil((CENTRE_S + DEEPEST_S) * rate) + 8 + QUANTUM,
  cost: () => 45,
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const turn = valueOf(params, "rateHz") / rate;
    const length = Math.ceil((CENTRE_S + DEEPEST_S) * rate) + 8;
    const size = length + 4;
    const ring = arena.float32(2 * size);
    const counts = arena.int32(2);
    counts[RUN] = size;
    const settings = arena.float64(10);
    const depth = new Glide((valueOf(params, "depthMs") * rate) / 1000, arena);
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const delayAt = (frame: number, shift: number, deep: number) => {
      const phase = turn * frame + shift;
      return CENTRE_S * rate + deep * sin(TAU * (phase - Math.floor(phase)));
    };
    const put = (place: number, from: number, to: number) => {
      settings[place] = from;
      settings[place + 1] = (to - from) / QUANTUM;
    };
    const quantum = (left: Floats, right: Floats, from: number, at: number) => {
      depth.from = depth.to;
      wet.from = wet.to;
      if (controls.moving) {
        controls.to(at + QUANTUM);
        depth.to = (valueOf(params, "depthMs") * rate) / 1000;
        wet.to = valueOf(params, "wet") / 100;
      }
      put(0, wet.from, wet.to);
      // Copies at 0, 1/4, 1/2 and 3/4 of the swing: two a side. Within a quantum each delay moves in a straight line.
      for (let copy = 0; copy < SHIFTS.length; copy++) {
        const shift = SHIFTS[copy] as number;
        put(2 + 2 * copy, delayAt(at, shift, depth.from), delayAt(at + QUANTUM, shift, depth.to));
      }
      arena.kernels.copies(
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
      get resting() {
        return (counts[RUN] as number) >= size;
      },
    };
  },
});
