import { TAU, sin } from "../math";
import type { Processor } from "./device";
import { Glide, QUANTUM, effect, fixed, hertzParam, millisParam, percentParam, valueOf } from "./device";
import { DelayLine } from "./line";

const CENTRE_S = 0.012;
const DEEPEST_S = 0.008;

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
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const turn = valueOf(params, "rateHz") / rate;
    const length = Math.ceil((CENTRE_S + DEEPEST_S) * rate) + 8;
    const lines = [new DelayLine(length, arena), new DelayLine(length, arena)] as const;
    const depth = new Glide((valueOf(params, "depthMs") * rate) / 1000);
    const wet = new Glide(valueOf(params, "wet") / 100);
    const delayAt = (frame: number, shift: number, deep: number) => {
      const phase = turn * frame + shift;
      return CENTRE_S * rate + deep * sin(TAU * (phase - Math.floor(phase)));
    };
    let silentRun = length;
    const quantum = (left: Float32Array, right: Float32Array, from: number, at: number) => {
      depth.from = depth.to;
      wet.from = wet.to;
      if (controls.moving) {
        controls.to(at + QUANTUM);
        depth.to = (valueOf(params, "depthMs") * rate) / 1000;
        wet.to = valueOf(params, "wet") / 100;
      }
      const wetStep = wet.step;
      let w = wet.from;
      // Copies at 0, 1/4, 1/2 and 3/4 of the swing: two a side. Within a quantum each delay moves in a straight line.
      let a = delayAt(at, 0, depth.from), b = delayAt(at, 0.5, depth.from), c = delayAt(at, 0.25, depth.from), d = delayAt(at, 0.75, depth.from);
      const aStep = (delayAt(at + QUANTUM, 0, depth.to) - a) / QUANTUM, bStep = (delayAt(at + QUANTUM, 0.5, depth.to) - b) / QUANTUM;
      const cStep = (delayAt(at + QUANTUM, 0.25, depth.to) - c) / QUANTUM, dStep = (delayAt(at + QUANTUM, 0.75, depth.to) - d) / QUANTUM;
      for (let i = from; i < from + QUANTUM; i++) {
        w += wetStep;
        const l = left[i] as number;
        const r = right[i] as number;
        lines[0].push(l);
        lines[1].push(r);
        silentRun = l === 0 && r === 0 ? silentRun + 1 : 0;
        left[i] = l * (1 - w) + 0.6 * w * (lines[0].read(a) + lines[0].read(b));
        right[i] = r * (1 - w) + 0.6 * w * (lines[1].read(c) + lines[1].read(d));
        a += aStep;
        b += bStep;
        c += cStep;
        d += dStep;
      }
    };
    return {
      process(left, right, frames, at) {
        for (let from = 0; from < frames; from += QUANTUM) quantum(left, right, from, at + from);
      },
      get resting() {
        return silentRun >= length;
      },
    };
  },
});
