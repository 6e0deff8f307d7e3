import { saturate } from "./saturation";
import { f } from "./states";

const CYCLE = 4294967296;

/** What a voice of the synthesiser is made of, as the kernels lay it out. */
export interface SynthVoice {
  /** Per oscillator: its share of the voice's cycles, phase, gains left and right. */
  readonly oscillators: readonly {
    readonly ratio: number;
    phase: number;
    readonly left: number;
    readonly right: number;
  }[];
  /**
   * Level where the stretch begins and its change a step; a, p, q and output gain, each with its change a step behind
   * it.
   */
  readonly moving: Float64Array;
  /** l1 r1 l2 r2. */
  readonly states: Float64Array;
  /** The sum of all saws, left and right, and its slopes. */
  readonly line: Float64Array;
  /** How the line changes at each step beside its slope, left and right. */
  readonly jumps: Float64Array;
  readonly sub: { step: number; phase: number; end: number };
}

const phaseStep = (cycles: number) => Math.trunc(Math.min(0.45, cycles) * CYCLE);

/** Begins a stretch of a voice: the sum of its band-limited saws, a straight line but for their jumps. */
export function synthLines(
  steps: number,
  cycles: number,
  { oscillators, line, jumps, sub }: SynthVoice,
  pulse: number,
): void {
  line.fill(0);
  jumps.fill(0, 0, 2 * (steps + 2));
  const add = (at: number, side: number, x: number) => {
    jumps[2 * at + side] = (jumps[2 * at + side] as number) + x;
  };
  const saw = (place: number, step: number, gains: readonly number[]) => {
    gains.forEach((gain, side) => {
      line[side] = (line[side] as number) + gain * (place / 2147483648 - 1);
      line[2 + side] = (line[2 + side] as number) + gain * (step / 2147483648);
      for (let edge = CYCLE; edge <= place + (steps + 1) * step; edge += CYCLE) {
        const first = Math.ceil((edge - place) / step);
        const beyond = (place + first * step - edge) / step;
        const after = gain * ((1 - beyond) * (1 - beyond));
        add(first - 1, side, after - (gain + gain));
        add(first, side, -after);
        if (first === 1) continue;
        const before = gain * (beyond * beyond);
        add(first - 2, side, -before);
        add(first - 1, side, before);
      }
    });
  };
  for (const o of oscillators) {
    const gains = [o.left, o.right];
    const step = phaseStep(cycles * o.ratio);
    saw((o.phase ^ 0x80000000) >>> 0, step, gains);
    if (pulse > 0)
      saw(
        o.phase >>> 0,
        step,
        gains.map((g) => g * -pulse),
      );
    o.phase = (o.phase + Math.imul(steps, step)) | 0;
  }
  sub.step = phaseStep(cycles * 0.5);
  sub.phase = sub.end;
  sub.end = (sub.phase + Math.imul(steps, sub.step)) | 0;
}

/** Steps of a voice, from step `from` of its stretch on: line and sub oscillator, driven, through the filter. */
export function synthVoice(
  left: Float32Array,
  right: Float32Array,
  steps: number,
  from: number,
  { moving, states, line, jumps, sub }: SynthVoice,
  subLevel: number,
): void {
  const [loud = 0, louder = 0] = moving;
  for (let s = 0; s < steps; s++) {
    const at = from + s;
    const low = (sub.phase + Math.imul(at + 1, sub.step)) | 0;
    const triangle = f(f(Math.abs(f(f(low) * f(1 / 1073741824))) - 1) * f(subLevel));
    for (const k of [2, 4, 6, 8]) moving[k] = (moving[k] as number) + (moving[k + 1] as number);
    const [, , a = 0, , p = 0, , q = 0, , post = 0] = moving;
    for (const [side, out] of [left, right].entries()) {
      line[side] = (line[side] as number) + ((line[2 + side] as number) + (jumps[2 * at + side] as number));
      const driven = saturate(f(f(f(line[side] as number) + triangle) * f(f(loud) + f(f(louder) * (at + 1)))));
      const s1 = states[side] as number;
      const s2 = states[2 + side] as number;
      const x = driven - s2;
      const next = s2 + p * s1 + q * x;
      states[side] = a * s1 + p * x;
      states[2 + side] = next;
      out[s] = f((out[s] as number) + f((s2 + next) * post));
    }
  }
}

/** Six decaying modes as two-pole resonators. modes: six each of c1, c2, last and last but one output. */
export function resonate(
  left: Float32Array,
  right: Float32Array,
  n: number,
  modes: Float64Array,
  gainLeft: number,
  gainRight: number,
): void {
  for (let i = 0; i < n; i++) {
    const y = Array.from(
      { length: 6 },
      (_, m) => (modes[m] as number) * (modes[12 + m] as number) + (modes[6 + m] as number) * (modes[18 + m] as number),
    );
    y.forEach((v, m) => {
      modes[18 + m] = modes[12 + m] as number;
      modes[12 + m] = v;
    });
    const [a = 0, b = 0, c = 0, d = 0, e = 0, g = 0] = y;
    const sum = a + c + e + (b + d + g);
    left[i] = f((left[i] as number) + f(sum * gainLeft));
    right[i] = f((right[i] as number) + f(sum * gainRight));
  }
}

/**
 * Two channels added to two others at a gain that is multiplied by `keep` from frame to frame; returns what the gain
 * has come to.
 */
export function addFading(
  outLeft: Float32Array,
  outRight: Float32Array,
  left: Float32Array,
  right: Float32Array,
  n: number,
  gain: number,
  keep: number,
): number {
  let g = gain;
  for (let i = 0; i < n; i++) {
    outLeft[i] = (outLeft[i] as number) + (left[i] as number) * g;
    outRight[i] = (outRight[i] as number) + (right[i] as number) * g;
    g *= keep;
  }
  return g;
}
