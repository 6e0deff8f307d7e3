import { TAU, sin } from "../math";
import type { Processor } from "./device";
import { Glide, effect, fixed, hertzParam, overQuanta, percentParam, valueOf } from "./device";

/**
 * Level that swings, each side at its own point of the swing. It runs freely from the timeline's zero, so the same bar
 * always sounds the same; its rate is set once, because a rate that moves has no phase of its own at a place of the
 * timeline.
 */
export const tremolo = effect({
  type: "tremolo",
  name: "Tremolo",
  about: "Level that swings in time, in place or from side to side",
  params: [
    fixed(hertzParam("rateHz", "Rate", 0.05, 20, 5)),
    percentParam("depth", "Depth", 50),
    percentParam("apart", "Sides apart", 0),
  ],
  linear: true,
  wanders: true,
  tail: () => 0,
  cost: () => 14,
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const turn = valueOf(params, "rateHz") / rate;
    const depth = new Glide(valueOf(params, "depth") / 100, arena);
    const apart = new Glide(valueOf(params, "apart") / 200, arena);
    const update = () => {
      depth.aim(valueOf(params, "depth") / 100);
      apart.aim(valueOf(params, "apart") / 200);
    };
    /** Gain at a frame: a sine between 1 and 1 - depth. */
    const gain = (frame: number, shift: number, amount: number) => {
      const phase = turn * frame + shift;
      return 1 - amount * (0.5 + 0.5 * sin(TAU * (phase - Math.floor(phase))));
    };
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          const depthStep = depth.step,
            apartStep = apart.step;
          for (let i = from; i < to; i++) {
            const n = i - from + 1;
            const amount = depth.from + depthStep * (controls.moving ? n : 0);
            const shift = apart.from + apartStep * (controls.moving ? n : 0);
            const near = gain(at + i, 0, amount);
            left[i] = (left[i] as number) * near;
            right[i] = (right[i] as number) * (shift === 0 ? near : gain(at + i, shift, amount));
          }
        });
      },
      resting: true,
    };
  },
});
