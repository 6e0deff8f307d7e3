import { biquad } from "../core/devices/biquad";
import type { BiquadCoefficients } from "../core/devices/biquad";
import { PI, TAU, cos, exp, pow, sin } from "../core/math";
import { randomBipolar, randomUnit } from "../core/random";
import type { Frames } from "../core/units";

/** Recordings from an imagined harbour, made by arithmetic alone: the same samples on every machine. */
export interface Recording {
  readonly name: string;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

export const RECORDING_RATE = 48000;
const seconds = (s: number): Frames => Math.round(s * RECORDING_RATE);

/** Filters one channel in place. */
export function filter(x: Float32Array, k: BiquadCoefficients): Float32Array {
  let z1 = 0;
  let z2 = 0;
  for (let i = 0; i < x.length; i++) {
    const input = x[i] as number;
    const y = k.b0 * input + z1;
    z1 = k.b1 * input - k.a1 * y + z2;
    z2 = k.b2 * input - k.a2 * y;
    x[i] = y;
  }
  return x;
}

const noise = (frames: Frames, seed: number) => Float32Array.from({ length: frames }, (_, i) => randomBipolar(seed, i));

/** Adds a decaying sine, its pitch gliding from `hz` to `toHz`. */
function ping(x: Float32Array, at: Frames, hz: number, toHz: number, decayS: number, level: number): void {
  const length = Math.min(x.length - at, seconds(decayS * 6));
  let phase = 0;
  let loud = level;
  const keep = exp(-1 / (decayS * RECORDING_RATE));
  const attack = seconds(0.0012);
  for (let i = 0; i < length; i++) {
    phase += (TAU * (hz + (toHz - hz) * (i / length))) / RECORDING_RATE;
    if (phase > TAU) phase -= TAU;
    x[at + i] = (x[at + i] as number) + sin(phase) * loud * Math.min(1, i / attack);
    loud *= keep;
  }
}

/** Small waves against a quay: noise that swells, with drops and gulps in it. */
export function waterBed(): Recording {
  const frames = seconds(30);
  const side = (seed: number): Float32Array => {
    const surge = filter(noise(frames, seed), biquad.lowPass(420, 0.6, RECORDING_RATE));
    const lap = filter(
      filter(noise(frames, seed + 1), biquad.highPass(700, 0.7, RECORDING_RATE)),
      biquad.lowPass(4200, 0.7, RECORDING_RATE),
    );
    const out = new Float32Array(frames);
    for (let i = 0; i < frames; i++) {
      const t = i / RECORDING_RATE;
      const swell = 0.5 + 0.5 * sin((TAU * t) / 7.3 + seed);
      const ripple = 0.5 + 0.5 * sin((TAU * t) / 2.1 + 1.7 * seed);
      out[i] = 0.5 * (surge[i] as number) * (0.5 + 0.9 * swell) + 0.09 * (lap[i] as number) * swell * ripple * ripple;
    }
    for (let n = 0; n < 70; n++) {
      const at = Math.floor(randomUnit(seed + 2, n) * (frames - seconds(0.3)));
      const hz = 380 + 900 * randomUnit(seed + 3, n);
      ping(out, at, hz, hz * (1.4 + 0.8 * randomUnit(seed + 4, n)), 0.018, 0.05 + 0.1 * randomUnit(seed + 5, n));
    }
    return out;
  };
  return { name: "Water at the quay", left: side(11), right: side(23) };
}

/** Halyards against masts, some near, some far, and a rope that creaks. */
export function rigging(): Recording {
  const frames = seconds(24);
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  let at = seconds(0.25);
  for (let n = 0; at < frames - seconds(1.5); n++) {
    const near = 0.25 + 0.75 * randomUnit(41, n);
    const where = randomUnit(42, n);
    const base = 1380 + 420 * randomUnit(43, n);
    for (const [m, ratio] of [1, 1.58, 2.24, 2.92, 4.1].entries()) {
      const level = 0.22 * near * exp(-0.75 * m) * (0.6 + 0.4 * randomUnit(44 + m, n));
      const decay = (0.34 * near) / (1 + 0.7 * m);
      ping(left, at, base * ratio, base * ratio, decay, level * cos((PI / 2) * where));
      ping(right, at + seconds(0.0004 * where), base * ratio, base * ratio, decay, level * sin((PI / 2) * where));
    }
    const close = randomUnit(45, n) < 0.62;
    at += seconds(close ? 0.16 + 0.14 * randomUnit(46, n) : 1.1 + 1.9 * randomUnit(47, n));
  }
  const creak = filter(
    filter(noise(frames, 61), biquad.highPass(210, 1.2, RECORDING_RATE)),
    biquad.lowPass(520, 2.2, RECORDING_RATE),
  );
  for (const start of [3.4, 11.2, 18.9]) {
    for (let i = 0; i < seconds(1.3); i++) {
      const t = i / RECORDING_RATE;
      const body = sin((PI * i) / seconds(1.3));
      const grain = pow(0.5 + 0.5 * sin(TAU * (17 + 9 * t) * t), 3);
      const v = 0.5 * (creak[seconds(start) + i] as number) * body * body * grain;
      left[seconds(start) + i] = (left[seconds(start) + i] as number) + v * 0.8;
      right[seconds(start) + i] = (right[seconds(start) + i] as number) + v * 0.55;
    }
  }
  return { name: "Rigging in the wind", left, right };
}

/** Someone breathing and humming three phrases close to one microphone: a mono take that was stored as stereo. */
export function breathAndHum(): Recording {
  const frames = seconds(21);
  const out = new Float32Array(frames);
  const air = filter(
    filter(noise(frames, 71), biquad.highPass(900, 0.8, RECORDING_RATE)),
    biquad.lowPass(3800, 0.8, RECORDING_RATE),
  );
  /** Start, length, pitch at the start and at the end of each hummed phrase. */
  const phrases = [
    [0.9, 5.2, 57, 57],
    [7.6, 5.6, 60, 62],
    [14.6, 5.6, 65, 57],
  ] as const;
  for (const [n, [start, length, from, to]] of phrases.entries()) {
    let phase = 0;
    for (let i = 0; i < seconds(length); i++) {
      const x = i / seconds(length);
      const t = i / RECORDING_RATE;
      const glide = x < 0.45 ? 0 : x > 0.6 ? 1 : (x - 0.45) / 0.15;
      const pitch = from + (to - from) * glide + 0.12 * Math.min(1, t / 1.4) * sin(TAU * 5.1 * t);
      phase += (440 * pow(2, (pitch - 69) / 12)) / RECORDING_RATE;
      phase -= Math.floor(phase);
      const body = Math.min(1, x * 7) * Math.min(1, (1 - x) * 4);
      const hum =
        sin(TAU * phase) +
        0.42 * sin(TAU * 2 * phase + 0.3) +
        0.16 * sin(TAU * 3 * phase) +
        0.07 * sin(TAU * 4 * phase + 1);
      const k = seconds(start) + i;
      out[k] = (out[k] as number) + 0.2 * hum * body + 0.03 * (air[k] as number) * body;
    }
    // The breath before each phrase.
    const inhale = seconds(start - 0.75 + 0.05 * n);
    for (let i = 0; i < seconds(0.7); i++) {
      const body = sin((PI * i) / seconds(0.7));
      out[inhale + i] = (out[inhale + i] as number) + 0.16 * (air[inhale + i] as number) * body * body;
    }
  }
  return { name: "Breath and hum", left: out, right: out.slice() };
}

/**
 * A bell buoy: a bell of inharmonic partials, struck by a clapper whenever the swell leans it over. The first stroke
 * comes at once.
 */
export function bellBuoy(): Recording {
  const frames = seconds(16);
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  // Hum, prime, tierce, quint, nominal and two above, as a cast bell has them.
  const partials = [0.5, 1, 1.183, 1.506, 2, 2.514, 3.011] as const;
  let at = 0;
  for (let n = 0; at < frames - seconds(2); n++) {
    const force = n === 0 ? 1 : 0.35 + 0.65 * randomUnit(301, n);
    for (const [m, ratio] of partials.entries()) {
      const level =
        0.11 * force * ([0.7, 1, 0.8, 0.4, 0.9, 0.35, 0.2][m] as number) * (0.85 + 0.3 * randomUnit(302 + m, n));
      const decay = 1.9 / (1 + 0.55 * m);
      ping(left, at, 587 * ratio, 587 * ratio, decay, level);
      ping(right, at + seconds(0.0006), 587 * ratio * 1.0007, 587 * ratio * 1.0007, decay, level * 0.85);
    }
    at += seconds(1.5 + 2.4 * randomUnit(303, n));
  }
  return { name: "Bell buoy", left, right };
}

/** Gulls over the basin, in threes and fours. */
export function gulls(): Recording {
  const frames = seconds(14);
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  let at = 0.4;
  for (let n = 0; at < 12.5; n++) {
    const where = randomUnit(401, n);
    const cries = 2 + Math.floor(3 * randomUnit(402, n));
    for (let c = 0; c < cries; c++) {
      const length = 0.22 + 0.1 * randomUnit(403, n * 8 + c);
      let phase = 0;
      for (let i = 0; i < seconds(length); i++) {
        const x = i / seconds(length);
        const hz = 1150 + 900 * sin(PI * pow(x, 0.7)) - 260 * c;
        phase += hz / RECORDING_RATE;
        phase -= Math.floor(phase);
        const v =
          (sin(TAU * phase) + 0.6 * sin(TAU * 2 * phase) + 0.35 * sin(TAU * 3 * phase)) *
          sin(PI * x) *
          (0.75 + 0.25 * sin(TAU * 43 * x)) *
          0.12;
        const k = seconds(at) + i;
        if (k >= frames) break;
        left[k] = (left[k] as number) + v * cos((PI / 2) * where);
        right[k] = (right[k] as number) + v * sin((PI / 2) * where);
      }
      at += length + 0.09;
    }
    at += 0.8 + 2.2 * randomUnit(404, n);
  }
  return { name: "Gulls over the basin", left, right };
}

/**
 * Two bowed lines a fifth apart, each note leant into: sawtooth partials through a wooden body, with the bow's hiss.
 */
export function bowedStrings(): Recording {
  const frames = seconds(40);
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  // Start, length in seconds and pitch of every bow.
  const bows = [
    [0.2, 4.9, 57],
    [5.0, 4.9, 58],
    [9.9, 5.0, 60],
    [14.9, 4.9, 55],
    [20.2, 4.9, 62],
    [25.0, 4.9, 58],
    [29.9, 5.0, 65],
    [34.9, 4.8, 60],
  ] as const;
  const hiss = filter(
    filter(noise(frames, 501), biquad.highPass(1800, 0.7, RECORDING_RATE)),
    biquad.lowPass(6500, 0.7, RECORDING_RATE),
  );
  for (const [n, [start, length, pitch]] of bows.entries()) {
    for (const [desk, away] of [0, 7, 12].entries()) {
      const hz = 440 * pow(2, (pitch + away - 12 - 69) / 12) * (1 + 0.0012 * (desk - 1));
      const where = 0.25 + 0.25 * desk;
      let phase = randomUnit(502, n * 3 + desk);
      for (let i = 0; i < seconds(length); i++) {
        const t = i / RECORDING_RATE;
        const x = i / seconds(length);
        const vibrato = 1 + 0.0035 * Math.min(1, t / 1.2) * sin(TAU * (5.2 + 0.2 * desk) * t + desk);
        phase += (hz * vibrato) / RECORDING_RATE;
        phase -= Math.floor(phase);
        const press = Math.min(1, t / 0.35) * Math.min(1, ((1 - x) * length) / 0.5) * (0.75 + 0.25 * sin(PI * x));
        // Partials fall by their number; the bow's pressure brings the upper ones out.
        const edge = 0.55 + 0.4 * press;
        // sin(k x) = 2 cos(x) sin((k - 1) x) - sin((k - 2) x).
        const twice = 2 * cos(TAU * phase);
        let last = 0,
          partial = sin(TAU * phase),
          weight = 1,
          v = 0;
        for (let k = 1; k <= 9; k++) {
          v += (partial / k) * weight;
          weight *= edge;
          [last, partial] = [partial, twice * partial - last];
        }
        v = press * (0.085 * v + 0.012 * (hiss[seconds(start) + i] as number));
        const at = seconds(start) + i;
        left[at] = (left[at] as number) + v * cos((PI / 2) * where);
        right[at] = (right[at] as number) + v * sin((PI / 2) * where);
      }
    }
  }
  const body = (x: Float32Array) =>
    filter(
      filter(filter(x, biquad.bell(290, 4, 2, RECORDING_RATE)), biquad.bell(700, -3, 1.2, RECORDING_RATE)),
      biquad.highShelf(3500, -5, RECORDING_RATE),
    );
  return { name: "Bowed strings", left: body(left), right: body(right) };
}

/** A rope is coiled: a few soft rubs, in passing. */
export function ropeCoil(): Recording {
  const frames = seconds(5);
  const rub = filter(
    filter(noise(frames, 601), biquad.highPass(380, 0.7, RECORDING_RATE)),
    biquad.lowPass(2600, 0.7, RECORDING_RATE),
  );
  const out = Float32Array.from(rub, (v, i) => {
    const t = i / RECORDING_RATE;
    const stroke = (t * 1.1) % 1;
    return (
      v * 0.22 * pow(sin(PI * stroke), 2) * (0.4 + 0.6 * (sin(TAU * 23 * t) > 0 ? 1 : 0.3)) * Math.min(1, (5 - t) / 0.6)
    );
  });
  return {
    name: "Audio 6",
    left: out,
    right: Float32Array.from(out, (v, i) => 0.9 * v + 0.1 * (out[Math.max(0, i - 31)] as number)),
  };
}
