import { PI, exp, pow, tan } from "../math";
import type { Processor } from "./device";
import { FLUSH, Glide, QUANTUM, decayFrames, effect, fixed, hertzParam, millisParam, overQuanta, percentParam, secondsParam, valueOf } from "./device";

const LINES = 8;
/** Delay lengths in seconds: mutually detuned so that no two lines share an echo pattern. */
const DELAYS_S = [0.0297, 0.0331, 0.0371, 0.0411, 0.0437, 0.0479, 0.0533, 0.0599];

/**
 * Feedback delay network: eight lines, Householder feedback matrix, one-pole damping in every line whose gain is set for the
 * decay time. Jot & Chaigne, AES 90th Convention, 1991. Linear and time-invariant, so returns fed by shares add up.
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
  // 60 dB a decay; the network falls through DECADES of 20 dB before it is flushed. The cut after it is short beside that.
  tail: (params, rate) => Math.ceil((valueOf(params, "decayS") * 34 * 20 * rate) / 60) + decayFrames(1 - (2 * PI * valueOf(params, "lowCutHz")) / rate) + Math.round(rate * 0.4),
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const scale = 0.35 + (0.65 * valueOf(params, "size")) / 100;
    const lengths = DELAYS_S.map((s) => Math.max(8, Math.round(s * scale * 1.6 * rate)));
    const gains = arena.float64(LINES);
    /** Change of each gain a frame while the decay moves. */
    const gainSteps = arena.float64(LINES);
    let cutA = 0, cutB = 0;
    const dampOf = () => exp((-2 * PI * Math.min(valueOf(params, "dampHz"), rate * 0.45)) / rate);
    const damping = new Glide(dampOf());
    const gainOf = (k: number) => pow(10, (-3 * (lengths[k] as number)) / rate / valueOf(params, "decayS"));
    for (let k = 0; k < LINES; k++) gains[k] = gainOf(k);
    const read = () => {
      const cut = tan((PI * valueOf(params, "lowCutHz")) / rate);
      cutA = (1 - cut) / (1 + cut);
      cutB = 1 / (1 + cut);
    };
    read();
    const wet = new Glide(valueOf(params, "wet") / 100);
    const update = () => {
      for (let k = 0; k < LINES; k++) gainSteps[k] = (gainOf(k) - (gains[k] as number)) / QUANTUM;
      damping.aim(dampOf());
      read();
      wet.aim(valueOf(params, "wet") / 100);
    };
    const pre = Math.round((valueOf(params, "preMs") * rate) / 1000) + 1;

    const offsets = lengths.map((_, k) => lengths.slice(0, k).reduce((a, b) => a + b, 0));
    const total = lengths.reduce((a, b) => a + b, 0);
    const ring = arena.float64(total);
    const starts = arena.int32(LINES).map((_, k) => offsets[k] ?? 0);
    const ends = arena.int32(LINES).map((_, k) => (offsets[k] ?? 0) + (lengths[k] ?? 0));
    const heads = arena.int32(LINES);
    heads.set(starts);
    const lows = arena.float64(LINES);
    const outs = arena.float64(LINES);
    const preLeft = arena.float32(pre);
    const preRight = arena.float32(pre);
    let preHead = 0;
    let cutX0 = 0, cutY0 = 0, cutX1 = 0, cutY1 = 0;
    const longest = Math.max(...lengths) + pre;
    let silentRun = longest;

    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          const wetStep = wet.step;
          let wetNow = wet.from;
          const dampStep = damping.step;
          let damp = damping.from;
          const moves = controls.moving;
          for (let i = from; i < to; i++) {
            const l = left[i] as number;
            const r = right[i] as number;
            const inLeft = preLeft[preHead] as number;
            const inRight = preRight[preHead] as number;
            preLeft[preHead] = l;
            preRight[preHead] = r;
            preHead = preHead + 1 === pre ? 0 : preHead + 1;

            let sum = 0;
            damp += dampStep;
            if (moves) for (let k = 0; k < LINES; k++) gains[k] = (gains[k] as number) + (gainSteps[k] as number);
            for (let k = 0; k < LINES; k++) {
              const low = (1 - damp) * (ring[heads[k] as number] as number) + damp * (lows[k] as number);
              lows[k] = Math.abs(low) < FLUSH ? 0 : low;
              const out = low * (gains[k] as number);
              outs[k] = out;
              sum += out;
            }
            const fed = sum * (2 / LINES);
            let awake = l !== 0 || r !== 0;
            for (let k = 0; k < LINES; k++) {
              let value = (outs[k] as number) - fed + ((k & 1) === 0 ? inLeft : inRight);
              if (Math.abs(value) < FLUSH) value = 0;
              else awake = true;
              const head = heads[k] as number;
              ring[head] = value;
              heads[k] = head + 1 === (ends[k] as number) ? (starts[k] as number) : head + 1;
            }
            silentRun = awake ? 0 : silentRun + 1;

            const o0 = outs[0] as number, o1 = outs[1] as number, o2 = outs[2] as number, o3 = outs[3] as number;
            const o4 = outs[4] as number, o5 = outs[5] as number, o6 = outs[6] as number, o7 = outs[7] as number;
            const x0 = 0.35 * (o0 - o2 + o4 - o6 + 0.5 * (o1 - o3));
            const x1 = 0.35 * (o1 - o3 + o5 - o7 + 0.5 * (o0 - o2));
            cutY0 = cutB * (x0 - cutX0) + cutA * cutY0;
            cutX0 = x0;
            cutY1 = cutB * (x1 - cutX1) + cutA * cutY1;
            cutX1 = x1;
            if (Math.abs(cutY0) < FLUSH) cutY0 = 0;
            if (Math.abs(cutY1) < FLUSH) cutY1 = 0;
            wetNow += wetStep;
            left[i] = l * (1 - wetNow) + cutY0 * wetNow;
            right[i] = r * (1 - wetNow) + cutY1 * wetNow;
          }
        });
      },
      get resting() {
        return silentRun >= longest && cutY0 === 0 && cutY1 === 0 && cutX0 === 0 && cutX1 === 0 && lows.every((v) => v === 0);
      },
    };
  },
});
