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
  /** How the line jumps at each step beside its slope, left and right, in pairs. */
  readonly jumps: Float64Array;
  /** The same of its slope, from that step on. */
  readonly kinks: Float64Array;
  /** What happens before each step, by time. */
  edges: Edge[][];
  /**
   * Left and right: the line where the stretch began, the slope to the next step and its change a step; what has jumped
   * and kinked since, and kinked times when.
   */
  readonly began: Float64Array;
  readonly slope: Float64Array;
  readonly rise: Float64Array;
  readonly jumped: Float64Array;
  readonly kinked: Float64Array;
  readonly kinkedWhen: Float64Array;
  /**
   * What is still to go through the filter, left and right in pairs, late by half the taps that round edges off; and
   * what rounds them off.
   */
  readonly buffer: Float32Array;
  readonly rounding: Float32Array;
  readonly sub: { step: number; phase: number; end: number; slope: number };
}

/** Where the line or its slope jumps: how far before a step, from 0 to 1. */
interface Edge {
  readonly beyond: number;
  readonly jumps: readonly [left: number, right: number];
  readonly kinks: readonly [left: number, right: number];
  /** Of the sub oscillator's slope. */
  readonly turn: number;
}

const MOST_CYCLES = 12;
const EDGE_HALF = 8;
const EDGE_ROWS = 128;
const phaseStep = (cycles: number, steps: number) => Math.trunc(Math.min(MOST_CYCLES / steps, cycles) * CYCLE);

/** Begins a stretch of a voice: the sum of its saws, a straight line but for their edges. */
export function synthLines(
  steps: number,
  cycles: number,
  voice: SynthVoice,
  pulse: number,
  pulseStep: number,
  level: number,
): void {
  const { oscillators, line, jumps, kinks, slope, rise, sub } = voice;
  for (const x of [line, rise, voice.jumped, voice.kinked, voice.kinkedWhen]) x.fill(0);
  for (const x of [jumps, kinks]) x.fill(0, 0, 2 * (steps + 2));
  voice.edges = Array.from({ length: steps }, () => []);
  const pulseEnd = pulse + pulseStep * steps;
  const edge = (place: number, step: number, at: number, make: (time: number) => Omit<Edge, "beyond">) => {
    const first = Math.max(1, Math.ceil((at - place) / step));
    const beyond = Math.max(0, (place + first * step - at) / step);
    const made = { beyond, ...make(first - beyond) };
    made.jumps.forEach((jump, side) => {
      const [at, kink] = [2 * (first - 1) + side, made.kinks[side] as number];
      jumps[at] = (jumps[at] as number) + (jump + kink * beyond);
      kinks[at] = (kinks[at] as number) + kink;
    });
    const list = voice.edges[first - 1] as Edge[];
    const later = list.findIndex((e) => e.beyond < beyond);
    list.splice(later < 0 ? list.length : later, 0, made);
  };
  const saw = (place: number, step: number, sides: readonly [number, number], gain: number, gainStep: number) => {
    const kink = -2 * gainStep;
    for (let at = CYCLE; at <= place + steps * step; at += CYCLE)
      edge(place, step, at, (time) => {
        const jump = -2 * (gain + gainStep * time);
        return {
          jumps: [sides[0] * jump, sides[1] * jump],
          kinks: [sides[0] * kink, sides[1] * kink],
          turn: 0,
        };
      });
  };
  const height = (place: number) => place / 2147483648 - 1;
  for (const o of oscillators) {
    const sides = [o.left, o.right] as const;
    const step = phaseStep(cycles * o.ratio, steps);
    const place = (o.phase ^ 0x80000000) >>> 0;
    saw(place, step, sides, 1, 0);
    const later = o.phase >>> 0;
    const pulsed = pulse > 0 || pulseEnd > 0;
    if (pulsed) saw(later, step, sides, -pulse, -pulseStep);
    const up = step / 2147483648;
    sides.forEach((gain, side) => {
      line[side] = (line[side] as number) + gain * height(place);
      line[2 + side] = (line[2 + side] as number) + gain * up;
      if (!pulsed) return;
      line[side] = (line[side] as number) - gain * (pulse * height(later));
      line[2 + side] = (line[2 + side] as number) - gain * (pulse * up + pulseStep * height(later));
      rise[side] = (rise[side] as number) - gain * (2 * pulseStep * up);
    });
    o.phase = (o.phase + Math.imul(steps, step)) | 0;
  }
  rise.forEach((v, side) => (slope[side] = (line[2 + side] as number) + v * 0.5));
  voice.began.set(line.subarray(0, 2));
  sub.step = phaseStep(cycles * 0.5, steps);
  sub.phase = sub.end;
  sub.end = (sub.phase + Math.imul(steps, sub.step)) | 0;
  const lowSlope = (sub.step / 1073741824) * level;
  sub.slope = sub.phase < 0 ? -lowSlope : lowSlope;
  if (level <= 0) return;
  const place = sub.phase >>> 0;
  const turn = 2 * lowSlope;
  let up = place >= 2147483648;
  for (let at = up ? CYCLE : 2147483648; at <= place + steps * sub.step; at += 2147483648) {
    edge(place, sub.step, at, () => ({ jumps: [0, 0], kinks: [0, 0], turn: up ? turn : -turn }));
    up = !up;
  }
}

function curve(value: number): number {
  const x = Math.max(-3, Math.min(3, value));
  const z = x * x;
  return (x * (27 + z)) / (27 + 9 * z);
}
const bow = (x: number) => (x * x >= 9 ? 0 : (9 - x * x) / (9 + 3 * (x * x)));
const bend = (x: number) => (x * x >= 9 ? 0 : 2 * bow(x) * ((-8 * x) / ((3 + x * x) * (3 + x * x))));

function roundEdges(steps: number, from: number, voice: SynthVoice, table: Float32Array, level: number): void {
  const { moving, line, began, rise, jumped, kinked, kinkedWhen, rounding, sub } = voice;
  const [loud = 0, louder = 0] = moving;
  for (let s = from; s < from + steps; s++)
    for (const { beyond, jumps, kinks, turn } of voice.edges[s] as Edge[]) {
      const time = s + 1 - beyond;
      const gain = loud + louder * time;
      let low = ((sub.phase + Math.imul(sub.step, s + 1)) | 0) - beyond * sub.step;
      if (low < -2147483648) low += CYCLE;
      const triangle = (Math.abs(low / 1073741824) - 1) * level;
      const before = sub.slope;
      const after = before + turn;
      sub.slope = after;
      const row = Math.floor(beyond * EDGE_ROWS);
      const part = f(beyond * EDGE_ROWS - row);
      jumps.forEach((jump, side) => {
        const kink = kinks[side] as number;
        const risen = (rise[side] as number) * time;
        const even = (line[2 + side] as number) + (kinked[side] as number);
        const slope = even + risen;
        const here = (began[side] as number) + (jumped[side] as number) - (kinkedWhen[side] as number);
        const height = here + (even + risen * 0.5) * time + triangle;
        jumped[side] = (jumped[side] as number) + jump;
        kinked[side] = (kinked[side] as number) + kink;
        kinkedWhen[side] = (kinkedWhen[side] as number) + kink * time;
        const [a, b] = [gain * height, gain * (height + jump)];
        const aSlope = gain * (slope + before) + louder * height;
        const bSlope = gain * (slope + kink + after) + louder * (height + jump);
        const [one, other] = [bow(a), bow(b)];
        const changes = [
          f(curve(b) - curve(a)),
          f(other * other * bSlope - one * one * aSlope),
          f(bend(b) * bSlope * bSlope - bend(a) * aSlope * aSlope),
        ] as const;
        for (let k = 0; k < 2 * EDGE_HALF; k++) {
          const [v, w, t] = changes.map((change, order) => {
            const at = (3 * row + order) * 2 * EDGE_HALF + k;
            const x = table[at] as number;
            return f(change * f(x + f(part * f((table[at + 6 * EDGE_HALF] as number) - x))));
          }) as [number, number, number];
          const to = 2 * (s - from + k) + side;
          rounding[to] = f((rounding[to] as number) + f(f(v + w) + t));
        }
      });
    }
}

/** Steps of a voice, from step `from` of its stretch on: line and sub oscillator, driven, through the filter. */
export function synthVoice(
  left: Float32Array,
  right: Float32Array,
  steps: number,
  from: number,
  voice: SynthVoice,
  table: Float32Array,
  subLevel: number,
): void {
  const { moving, states, line, jumps, kinks, slope, rise, sub, buffer, rounding } = voice;
  const [loud = 0, louder = 0] = moving;
  for (let s = 0; s < steps; s++) {
    const at = from + s;
    const low = (sub.phase + Math.imul(at + 1, sub.step)) | 0;
    const triangle = f(f(Math.abs(f(f(low) * f(1 / 1073741824))) - 1) * f(subLevel));
    for (const side of [0, 1]) {
      line[side] = (line[side] as number) + ((slope[side] as number) + (jumps[2 * at + side] as number));
      slope[side] = (slope[side] as number) + ((rise[side] as number) + (kinks[2 * at + side] as number));
      const driven = saturate(f(f(f(line[side] as number) + triangle) * f(f(loud) + f(f(louder) * (at + 1)))));
      buffer[2 * (EDGE_HALF + s) + side] = driven;
    }
  }
  roundEdges(steps, from, voice, table, f(subLevel));
  for (let s = 0; s < steps; s++) {
    for (const k of [2, 4, 6, 8]) moving[k] = (moving[k] as number) + (moving[k + 1] as number);
    const [, , a = 0, , p = 0, , q = 0, , post = 0] = moving;
    for (const [side, out] of [left, right].entries()) {
      const s1 = states[side] as number;
      const s2 = states[2 + side] as number;
      const x = f((buffer[2 * s + side] as number) + (rounding[2 * s + side] as number)) - s2;
      const next = s2 + p * s1 + q * x;
      states[side] = a * s1 + p * x;
      states[2 + side] = next;
      out[s] = f((out[s] as number) + f((s2 + next) * post));
    }
  }
  buffer.copyWithin(0, 2 * steps, 2 * (steps + EDGE_HALF));
  rounding.copyWithin(0, 2 * steps, 2 * (steps + 2 * EDGE_HALF));
  rounding.fill(0, 4 * EDGE_HALF, 4 * EDGE_HALF + 2 * steps);
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
