import type { BiquadCoefficients } from "../core/devices/biquad";
import { biquad } from "../core/devices/biquad";
import { PI, TAU, exp, sin } from "../core/math";
import { randomBipolar } from "../core/random";
import type { Recording } from "./field-recordings";
import { RECORDING_RATE, filter } from "./field-recordings";

const seconds = (s: number) => Math.round(s * RECORDING_RATE);

/** A sound of `length` seconds from a function of time; the right side is a little later and duller. */
function hit(name: string, length: number, at: (t: number, i: number) => number): Recording {
  const left = Float32Array.from({ length: seconds(length) }, (_, i) => {
    const t = i / RECORDING_RATE;
    return at(t, i) * Math.min(1, (length - t) / 0.01);
  });
  return { name, left, right: left.map((v, i) => 0.85 * v + 0.12 * (left[Math.max(0, i - 17)] as number)) };
}

const noise = (seed: number, length: number, ...shape: readonly BiquadCoefficients[]): Float32Array => {
  const x = Float32Array.from({ length: seconds(length) }, (_, i) => randomBipolar(seed, i));
  for (const k of shape) filter(x, k);
  return x;
};

/** What the kit's pads hold: skins, wood and shells, the larger ones in two layers. */
export function handPercussion(): Readonly<
  Record<"skin" | "air" | "slapSoft" | "slapHard" | "shaker" | "wood" | "shells", Recording>
> {
  const breath = noise(701, 0.5, biquad.lowPass(220, 0.8, RECORDING_RATE));
  const snap = noise(702, 0.2, biquad.highPass(900, 0.7, RECORDING_RATE), biquad.lowPass(5200, 0.7, RECORDING_RATE));
  const seeds = noise(703, 0.16, biquad.highPass(4200, 0.8, RECORDING_RATE));
  const drum = (hz: number, fall: number) => (t: number) => sin(TAU * (hz * t + (fall * (1 - exp(-t * 24))) / 24));
  const low = drum(78, 60),
    high = drum(205, 90);
  return {
    skin: hit("Frame drum, skin", 0.7, (t) => 0.8 * low(t) * exp(-t * 7) * Math.min(1, t / 0.0015)),
    air: hit("Frame drum, air", 0.5, (t, i) => 1.6 * (breath[i] as number) * exp(-t * 11) * Math.min(1, t / 0.004)),
    slapSoft: hit(
      "Hand drum, soft",
      0.3,
      (t, i) =>
        (0.5 * high(t) * exp(-t * 22) + 0.14 * (snap[Math.min(i, snap.length - 1)] as number) * exp(-t * 60)) *
        Math.min(1, t / 0.001),
    ),
    slapHard: hit(
      "Hand drum, slap",
      0.2,
      (t, i) =>
        (0.35 * high(t * 1.16) * exp(-t * 34) + 0.6 * (snap[i] as number) * exp(-t * 42)) * Math.min(1, t / 0.0006),
    ),
    shaker: hit(
      "Seed shaker",
      0.16,
      (t, i) => 0.5 * (seeds[i] as number) * sin(PI * Math.min(1, t / 0.1)) * sin(PI * Math.min(1, t / 0.1)),
    ),
    wood: hit(
      "Wood block",
      0.16,
      (t) => 0.5 * (sin(TAU * 1240 * t) + 0.5 * sin(TAU * 2910 * t)) * exp(-t * 55) * Math.min(1, t / 0.0006),
    ),
    shells: hit("Shells", 0.6, (t) =>
      [1, 1.31, 1.73, 2.24, 2.71].reduce(
        (s, r, k) =>
          s + 0.09 * sin(TAU * 2600 * r * t + k) * exp(-t * (9 + 3 * k)) * (0.6 + 0.4 * sin(TAU * (17 + 5 * k) * t)),
        0,
      ),
    ),
  };
}
