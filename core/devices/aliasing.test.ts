import { expect, test } from "vitest";
import { sine, spectrumDb, through } from "../testing/process";
import type { Heard } from "../testing/listen";
import { Fft } from "../kernels/fft";
import { declarationOf } from "./catalogue";
import { completeParams, type Params, type PlayedNote } from "./device";
import { sidebands } from "./fm";

/**
 * What a source or the saturator adds below 18 kHz beside the partials that its formula has: at most -80 dB under the
 * strongest, at every setting. Each sweep takes the corners of the parameters and a fixed grid between them.
 */
const RATE = 48000;
const FRAMES = 32768;
const SETTLED = 40000;
const FOLDED_DB = -80;
const bin = RATE / FRAMES;

const silence = (): Heard => ({ left: new Float32Array(SETTLED + FRAMES), right: new Float32Array(SETTLED + FRAMES) });
const held = (pitch: number): readonly PlayedNote[] => [{ start: 0, frames: 1e6, pitch, velocity: 127 }];
const hertz = (pitch: number) => 440 * 2 ** ((pitch - 69) / 12);

/** The strongest below 18 kHz that is no partial, in dB under the strongest of all. `isPartial`: of a frequency. */
function foldedDb(x: Float32Array, isPartial: (hz: number) => boolean): number {
  const spectrum = spectrumDb(x.subarray(x.length - FRAMES));
  const top = spectrum.reduce((a, b) => Math.max(a, b));
  let worst = -Infinity;
  for (let k = 8; k * bin < 18000; k++) if (spectrum[k]! > worst && !isPartial(k * bin)) worst = spectrum[k]!;
  return worst - top;
}
/** Within the window's main lobe of a multiple of `base`. */
const harmonicOf = (base: number) => (hz: number) => Math.abs(hz - Math.round(hz / base) * base) < 7 * bin;
const sidebandOf = (carrier: number, modulator: number) => (hz: number) =>
  harmonicOf(modulator)(hz - carrier) || harmonicOf(modulator)(hz + carrier);

const instrument = (type: string, params: Params, pitch: number) =>
  through(type, params, silence(), { notes: held(pitch) }).left;

test.each([0, 40, 100])("FM with %i % of feedback", (feedback) => {
  const found: unknown[] = [];
  for (const ratio of [0.5, 1.41, 3.5, 16])
    for (const index of [1, 12])
      for (const pitch of [24, 60, 84, 96, 108, 120]) {
        const params = { ratio, index, keep: 100, feedback, sustain: 100, spread: 0, attackS: 0.002 };
        const folded = foldedDb(instrument("fm", params, pitch), sidebandOf(hertz(pitch), ratio * hertz(pitch)));
        if (folded > FOLDED_DB) found.push({ ratio, index, pitch, folded });
      }
  expect(found).toEqual([]);
});

test("an index that moves while a note sounds is held back where sidebands would fold", () => {
  const params = { ratio: 3.5, index: 12, indexS: 10, keep: 60, feedback: 20, sustain: 100, spread: 0, attackS: 0.002 };
  for (const pitch of [84, 96, 108])
    expect(foldedDb(instrument("fm", params, pitch), sidebandOf(hertz(pitch), 3.5 * hertz(pitch)))).toBeLessThan(
      FOLDED_DB,
    );
});

test("FM's sidebands end where the formula says, for every index and feedback", () => {
  const N = 16384;
  for (const feedback of [0, 0.2, 0.4, 0.6, 0.8, 0.9]) {
    const modulator = Float64Array.from({ length: N }, (_, i) => {
      let [low, high] = [-1, 1];
      for (let k = 0; k < 50; k++) {
        const middle = (low + high) / 2;
        if (Math.sin((2 * Math.PI * i) / N + feedback * middle) > middle) low = middle;
        else high = middle;
      }
      return low;
    });
    for (const index of [0.25, 1, 2, 4, 8, 12]) {
      const re = modulator.map((y) => Math.cos(index * y));
      const im = modulator.map((y) => Math.sin(index * y));
      new Fft(N).forward(re, im);
      const sizes = re.map((v, k) => Math.hypot(v, im[k]!));
      const top = sizes.reduce((a, b) => Math.max(a, b));
      let last = 0;
      sizes.forEach((v, k) => {
        if (v > 1e-4 * top) last = Math.max(last, Math.min(k, N - k));
      });
      expect([feedback, index, last <= sidebands(index, feedback) + 1]).toEqual([feedback, index, true]);
    }
  }
});

test.each([0, 30, 100])("the synthesiser driven by %i %", (drive) => {
  const found: unknown[] = [];
  for (const oversample of [2, 4])
    for (const pulse of [0, 40, 100])
      for (const sub of [0, 100])
        for (const pitch of [36, 72, 96, 108, 115, 120, 127]) {
          const params = {
            ...{ oversample, pulse, drive, unison: 1, sub, cutoffHz: 16000, resonance: 0, sweep: 0 },
            ...{ sustain: 100, level: 100 },
          };
          const base = sub > 0 ? hertz(pitch) / 2 : hertz(pitch);
          const folded = foldedDb(instrument("synth", params, pitch), harmonicOf(base));
          if (folded > FOLDED_DB) found.push({ oversample, pulse, sub, pitch, folded });
        }
  expect(found).toEqual([]);
});

test("a pulse whose width moves has no partials beside those of the width's own movement", () => {
  // The width goes as slow as a sine of 3 Hz: what it adds stays within a few of its multiples beside each partial.
  const declared = { pulse: 50, drive: 60, unison: 1, sub: 0, cutoffHz: 16000, resonance: 0, sweep: 0, sustain: 100 };
  const params: Record<string, number> = {};
  const controls = {
    params,
    moving: true,
    loose: false,
    to: (frame: number) => {
      params["pulse"] = 50 + 45 * Math.sin((2 * Math.PI * 3 * frame) / RATE);
    },
  };
  for (const pitch of [60, 84, 100]) {
    Object.assign(params, completeParams(declarationOf("synth")!, declared));
    const x = through("synth", {}, silence(), { notes: held(pitch), controls }).left;
    const near = (hz: number) => Math.abs(hz - Math.round(hz / hertz(pitch)) * hertz(pitch)) < 60;
    expect([pitch, foldedDb(x, near) < FOLDED_DB]).toEqual([pitch, true]);
  }
});

test.each([0, 6, 12, 24, 36])("the saturator with %i dB of drive", (driveDb) => {
  const found: unknown[] = [];
  for (const even of [0, 100])
    for (const level of [0.5, 2])
      for (const hz of [110, 997, 4001, 9001, 12007, 17011]) {
        const params = { driveDb, even, outputDb: 0 };
        const folded = foldedDb(through("saturator", params, sine(hz, SETTLED + FRAMES, level)).left, harmonicOf(hz));
        if (folded > FOLDED_DB) found.push({ even, level, hz, folded });
      }
  expect(found).toEqual([]);
});

test("the saturator is the curve on the sound itself, whichever rate a quantum is made at", () => {
  // A tone that swells through both rates, against the curve at 64 times the rate: only what lies below 18 kHz, as the
  // band that the filters keep.
  const N = 1 << 15;
  const OVER = 64;
  const at = (i: number) => Math.sin((2 * Math.PI * 1500 * i) / RATE) * (0.3 + 0.7 * Math.sin((Math.PI * i) / N) ** 2);
  const input = Float32Array.from({ length: N + 64 }, (_, i) => (i < N ? at(i) : 0));
  const gain = 10 ** (15 / 20);
  const heard = through("saturator", { driveDb: 15, even: 0, outputDb: 0 }, { left: input, right: input.slice() }).left;
  const spectrumOf = (x: Float64Array) => {
    const im = new Float64Array(x.length);
    new Fft(x.length).forward(x, im);
    return { re: x, im };
  };
  const window = (i: number) => Math.sin((Math.PI * i) / N) ** 2;
  const wanted = spectrumOf(
    Float64Array.from({ length: N * OVER }, (_, i) => curve(gain * at(i / OVER)) * window(i / OVER)),
  );
  // LATENCY of the device: 32 frames.
  const found = spectrumOf(Float64Array.from({ length: N }, (_, i) => heard[i + 32]! * window(i)));
  let [off, all] = [0, 0];
  for (let k = 0; k * (RATE / N) < 18000; k++) {
    off += (found.re[k]! - wanted.re[k]! / OVER) ** 2 + (found.im[k]! - wanted.im[k]! / OVER) ** 2;
    all += found.re[k]! ** 2 + found.im[k]! ** 2;
  }
  expect(10 * Math.log10(off / all)).toBeLessThan(-75);
});

const curve = (v: number) => {
  const x = Math.max(-3, Math.min(3, v));
  return (x * (27 + x * x)) / (27 + 9 * x * x);
};
