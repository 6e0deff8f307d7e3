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
    /** Gain of each line, its change a frame while the decay moves, and the state of its damping. */
    const network = arena.float64(3 * LINES);
    let cutA = 0, cutB = 0;
    const dampOf = () => exp((-2 * PI * Math.min(valueOf(params, "dampHz"), rate * 0.45)) / rate);
    const damping = new Glide(dampOf());
    const gainOf = (k: number) => pow(10, (-3 * (lengths[k] as number)) / rate / valueOf(params, "decayS"));
    for (let k = 0; k < LINES; k++) network[k] = gainOf(k);
    const read = () => {
      const cut = tan((PI * valueOf(params, "lowCutHz")) / rate);
      cutA = (1 - cut) / (1 + cut);
      cutB = 1 / (1 + cut);
    };
    read();
    const wet = new Glide(valueOf(params, "wet") / 100);
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
    const inLeft = arena.float32(QUANTUM), inRight = arena.float32(QUANTUM);
    const preLeft = arena.float32(pre);
    const preRight = arena.float32(pre);
    let preHead = 0;
    let cutX0 = 0, cutY0 = 0, cutX1 = 0, cutY1 = 0;
    const longest = Math.max(...lengths) + pre;
    let silentRun = longest;

    const quantum = (left: Float32Array, right: Float32Array, from: number) => {
      for (let i = 0; i < QUANTUM; i++) {
        inLeft[i] = preLeft[preHead] as number;
        inRight[i] = preRight[preHead] as number;
        preLeft[preHead] = left[from + i] as number;
        preRight[preHead] = right[from + i] as number;
        preHead = preHead + 1 === pre ? 0 : preHead + 1;
      }
      const quiet = arena.kernels.feedbackNetwork(
        inLeft.byteOffset, inRight.byteOffset, QUANTUM, outs.byteOffset, ring.byteOffset, places.byteOffset, places.byteOffset + 4 * LINES, places.byteOffset + 8 * LINES,
        network.byteOffset, damping.from, damping.step,
      );
      silentRun = quiet === QUANTUM ? silentRun + QUANTUM : quiet;
      const wetStep = wet.step;
      let w = wet.from, x0 = cutX0, y0 = cutY0, x1 = cutX1, y1 = cutY1;
      for (let i = 0; i < QUANTUM; i++) {
        const k = LINES * i;
        const o0 = outs[k] as number, o1 = outs[k + 1] as number, o2 = outs[k + 2] as number, o3 = outs[k + 3] as number;
        const o4 = outs[k + 4] as number, o5 = outs[k + 5] as number, o6 = outs[k + 6] as number, o7 = outs[k + 7] as number;
        const a = 0.35 * (o0 - o2 + o4 - o6 + 0.5 * (o1 - o3));
        const b = 0.35 * (o1 - o3 + o5 - o7 + 0.5 * (o0 - o2));
        y0 = cutB * (a - x0) + cutA * y0;
        x0 = a;
        y1 = cutB * (b - x1) + cutA * y1;
        x1 = b;
        w += wetStep;
        left[from + i] = (left[from + i] as number) * (1 - w) + y0 * w;
        right[from + i] = (right[from + i] as number) * (1 - w) + y1 * w;
      }
      cutX0 = x0;
      cutX1 = x1;
      cutY0 = Math.abs(y0) < FLUSH ? 0 : y0;
      cutY1 = Math.abs(y1) < FLUSH ? 0 : y1;
    };

    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          for (let q = from; q < to; q += QUANTUM) quantum(left, right, q);
        });
      },
      get resting() {
        return silentRun >= longest && cutY0 === 0 && cutY1 === 0 && cutX0 === 0 && cutX1 === 0 && network.subarray(2 * LINES).every((v) => v === 0);
      },
    };
  },
});
