import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { controlsOf } from "../engine/automation";
import { makeDevice, makeLane, makeTrack } from "../session/build";
import { hashOf, memoryLibrary, noise, peakDb } from "../testing/listen";
import { ownInstrument } from "../testing/own-instrument";
import { impulse, sine, spectrumDb, through } from "../testing/process";
import { tempoMap } from "../time/tempo";
import { catalogue, declarationOf } from "./catalogue";
import type { Controls, DeviceDeclaration, LoadedInstrument, LoadedLayer, Params, PlayedNote } from "./device";
import { completeParams } from "./device";

/** What holds for every device there is, whatever it does. */
const RATE = 48000;
const tempo = tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], RATE);
const silence = (frames: number) => ({ left: new Float32Array(frames), right: new Float32Array(frames) });
const chord: readonly PlayedNote[] = [45, 57, 64].map((pitch, i) => ({
  start: i * 1000 + 37,
  frames: 20000,
  pitch,
  velocity: 100,
}));
const audio = memoryLibrary({ [hashOf(1)]: noise(9000, 8, 0.5) })(hashOf(1));
const layer = (pad: number): LoadedLayer => ({
  pad,
  asset: hashOf(1),
  audio,
  step: 1,
  gain: 1,
  softest: 1,
  loudest: 127,
});

/** A loop through a filter, with an envelope, as a sampled instrument's. */
const looped: LoadedInstrument = {
  instrument: { ...ownInstrument, zones: ownInstrument.zones.slice(0, 1).map((z) => ({ ...z, highKey: 127 })) },
  open: () => ({ audio: memoryLibrary({ [hashOf(1)]: noise(9000, 8, 0.5) })(hashOf(1)), rate: RATE }),
};

/** What a device needs beside its parameters so that it does something. */
const around = (d: DeviceDeclaration) => ({
  ...(d.role === "instrument" ? { notes: chord } : {}),
  ...(d.layers > 1 ? { layers: [layer(9), layer(0)] } : {}),
  ...(d.playsInstrument ? { instrument: looped } : {}),
  ...(d.realTime ? { pass: 1 } : {}),
});
const named = (list: readonly DeviceDeclaration[]) => list.map((d) => [d.type, d] as const);
const effects = catalogue.filter((d) => d.role === "effect");

const params = (declaration: DeviceDeclaration) =>
  fc
    .tuple(
      ...declaration.params.map((p) =>
        (p.taper === "steps" || p.taper === "switch"
          ? fc.integer({ min: Math.ceil(p.min), max: Math.floor(p.max) })
          : fc.double({ min: p.min, max: p.max, noNaN: true })
        ).map((v) => [p.id, v] as const),
      ),
    )
    .map((entries) => Object.fromEntries(entries));

/** A parameter that goes from one value to another and back while two seconds pass. */
const sweeping = (d: DeviceDeclaration, param: string, from: number, to: number, set: Params = {}): Controls =>
  controlsOf(
    makeDevice("d", d.type, set),
    d,
    makeTrack({
      id: "t",
      name: "T",
      kind: "audio",
      automation: [
        makeLane(
          "l",
          "param",
          [
            { tick: 0, value: from, shape: "curved", bend: 0.3 },
            { tick: 1920, value: to },
            { tick: 3840, value: from },
          ],
          "d",
          param,
        ),
      ],
    }),
    tempo,
  );

test.each(named(catalogue))("%s declares parameters whose defaults lie in their ranges, each once", (_, d) => {
  expect(new Set(d.params.map((p) => p.id)).size).toBe(d.params.length);
  for (const p of d.params) {
    expect(p.default).toBeGreaterThanOrEqual(p.min);
    expect(p.default).toBeLessThanOrEqual(p.max);
    if (p.taper === "log") expect(p.min).toBeGreaterThan(0);
    // What is switched in steps would jump if it moved.
    if (p.taper === "steps" || p.taper === "switch") expect(p.fixed).toBe(true);
  }
});

test.each(named(catalogue))("%s stays finite and bounded for any legal parameters", (type, d) => {
  fc.assert(
    fc.property(params(d), (p) => {
      const out = through(type, p, d.role === "effect" ? noise(12000, 3, 0.9) : silence(12000), around(d));
      // +24 dB of gain on four EQ bands and make-up is legal, a runaway is not.
      expect(peakDb(out)).toBeLessThan(90);
      expect(out.left.every((v) => Number.isFinite(v)) && out.right.every((v) => Number.isFinite(v))).toBe(true);
    }),
    { numRuns: 12, seed: 5 },
  );
});

test.each(named(catalogue))(
  "%s stays bounded while anything that may move moves through its whole range",
  (type, d) => {
    for (const p of d.params.filter((x) => !x.fixed)) {
      const out = through(type, {}, d.role === "effect" ? noise(24000, 3, 0.9) : silence(24000), {
        ...around(d),
        controls: sweeping(d, p.id, p.min, p.max),
      });
      expect(peakDb(out), p.id).toBeLessThan(90);
      expect(
        out.left.every((v) => Number.isFinite(v)),
        p.id,
      ).toBe(true);
    }
  },
);

/** Parameters with which a device's tail can be waited for. */
const short: Readonly<Record<string, Params>> = {
  reverb: { decayS: 0.4 },
  delay: { feedback: 10, beats: 0.25 },
  string: { muteS: 0.1 },
  bars: { decayS: 0.2 },
  synth: { releaseS: 0.2 },
  kit: { ringS: 0.3 },
};

test.each(named(catalogue.filter((d) => !d.realTime)))(
  "%s: silence in gives exact silence out once its declared tail is over",
  (type, d) => {
    const set = short[type] ?? {};
    const tail = d.tail(completeParams(d, set), RATE, looped.instrument);
    const sounds = 24000;
    const input = silence(sounds + tail + 9600);
    if (d.role === "effect") {
      input.left.set(noise(4800, 1).left, sounds - 4800);
      input.right.set(noise(4800, 1).right, sounds - 4800);
    }
    const out = through(type, set, input, around(d));
    expect(peakDb({ left: out.left.subarray(0, sounds), right: out.right.subarray(0, sounds) })).toBeGreaterThan(-60);
    const after = out.left.subarray(sounds + tail);
    expect(after.length).toBeGreaterThan(9000);
    expect(after.every((v) => v === 0)).toBe(true);
    // Nothing on the way was so small that a processor computes with it slowly.
    expect(out.left.every((v) => v === 0 || Math.abs(v) > 1.2e-38)).toBe(true);
  },
);

test("a device that can rest says so after its tail, and then changes nothing", () => {
  for (const d of effects.filter((e) => !e.realTime)) {
    const set = short[d.type] ?? {};
    // Longer than the tail: a gain may go on returning to one after the last sound has gone.
    const input = silence(d.tail(completeParams(d, set), RATE) + 480000);
    input.left.fill(0.1, 0, 480);
    const out = through(d.type, set, input, around(d));
    // Those that count hops or follow the tempo go on counting.
    expect(out.resting, d.type).toBe(!["convolution", "pitch", "delay"].includes(d.type));
  }
});

/** Parameters with which an effect passes a click unchanged, but for its latency. */
const neutral: Readonly<Record<string, Params>> = {
  reverb: { wet: 0 },
  delay: { wet: 0 },
  chorus: { wet: 0 },
  convolution: { wet: 0 },
  filter: { wet: 0 },
  saturator: { wet: 0 },
  tremolo: { depth: 0 },
  compressor: { thresholdDb: 0, kneeDb: 0, lookaheadMs: 3 },
  limiter: { ceilingDb: 0 },
  gate: { thresholdDb: -80, hysteresisDb: 0, attackMs: 0.1, lookaheadMs: 10 },
};

test.each(named(effects.filter((d) => !d.realTime)))("%s is as late as it says", (type, d) => {
  const set = neutral[type] ?? {};
  const input = impulse(8192);
  // A gate needs something to open for before the click comes.
  if (type === "gate") input.left.fill(1e-3, 1, 0);
  const out = through(type, set, input, around(d));
  const peak = out.left.reduce((best, v, i) => (Math.abs(v) > Math.abs(out.left[best] ?? 0) ? i : best), 0);
  expect(peak).toBe(d.latency(completeParams(d, set), RATE));
  expect(out.left[peak]).toBeCloseTo(1, type === "gate" ? 1 : 6);
});

test("a limiter that minds peaks between samples is later by its interpolator, and says so", () => {
  const set = { ceilingDb: 0, truePeak: 1 };
  const d = declarationOf("limiter")!;
  const out = through("limiter", set, { left: impulse(4096).left.map((v) => v * 0.5), right: new Float32Array(4096) });
  expect(out.left.indexOf(0.5)).toBe(d.latency(completeParams(d, set), RATE));
});

test.each(named(catalogue.filter((d) => d.linear)))(
  "%s, which says it is linear, gives the sum for a sum",
  (type, d) => {
    const a = noise(9600, 1);
    const b = noise(9600, 9);
    const both = { left: a.left.map((v, i) => v + b.left[i]!), right: a.right.map((v, i) => v + b.right[i]!) };
    const set = type === "eq" ? { lowDb: 6, bell1Db: -9, highDb: 4, cut: 1 } : {};
    const [x, y, sum] = [a, b, both].map((input) => through(type, set, input, around(d)));
    const worst = sum!.left.reduce((m, v, i) => Math.max(m, Math.abs(v - x!.left[i]! - y!.left[i]!)), 0);
    expect(20 * Math.log10(worst)).toBeLessThan(-125);
  },
);

test.each(named(catalogue.filter((d) => d.role === "instrument" && d.type !== "sampler")))(
  "%s is taken up in the middle of a note, wherever playing begins",
  (type) => {
    for (const start of [-1, -17, -64, -1001, -47999]) {
      const notes = [{ start, frames: 96000, pitch: 40, velocity: 100 }];
      const { left } = through(type, {}, silence(48000), { notes });
      expect(left.every((v) => Number.isFinite(v) && Math.abs(v) < 4)).toBe(true);
    }
  },
);

describe("nothing steps while a parameter moves", () => {
  const FRAMES = 65536;
  const F0 = 1013;
  // Steps of one quantum, or of an envelope's points, would stand at these distances from the tone.
  const GRIDS = [RATE / 64, RATE / 16];
  const bin = (hz: number) => Math.round((hz * FRAMES) / RATE);

  test.each(named(effects.filter((d) => !d.realTime)))("%s", (type, d) => {
    const input = sine(F0, FRAMES, 0.25);
    for (const p of d.params.filter((x) => !x.fixed)) {
      const out = through(type, {}, input, { ...around(d), controls: sweeping(d, p.id, p.min, p.max) });
      const spectrum = spectrumDb(out.left.subarray(0, FRAMES));
      const tone = spectrum.reduce((best, v, k) => (v > spectrum[best]! ? k : best), 0);
      for (const grid of GRIDS) {
        for (const k of [1, 2, 3]) {
          for (const at of [tone + k * bin(grid), tone - k * bin(grid)]) {
            if (at < 8 || at > FRAMES / 2 - 8) continue;
            const here = Math.max(...spectrum.subarray(at - 3, at + 4));
            // A smooth sweep spreads; what stands out of its surroundings there, and is louder than -90 dBFS, is a
            // step.
            const beside = Math.max(...spectrum.subarray(at - 60, at - 30), ...spectrum.subarray(at + 30, at + 60));
            if (here > beside + 6) expect(here, `${p.id} at ${Math.round((at * RATE) / FRAMES)} Hz`).toBeLessThan(-90);
          }
        }
      }
    }
  });

  test("an instrument's level", () => {
    const d = declarationOf("fm")!;
    const notes: readonly PlayedNote[] = [{ start: 0, frames: 200000, pitch: 83, velocity: 100 }];
    const set = { index: 0, sustain: 100, attackS: 0.002 };
    const out = through("fm", set, silence(2 * FRAMES), { notes, controls: sweeping(d, "level", 100, 10, set) });
    const spectrum = spectrumDb(out.left.subarray(FRAMES / 2, FRAMES / 2 + FRAMES));
    const tone = spectrum.reduce((best, v, k) => (v > spectrum[best]! ? k : best), 0);
    for (const k of [1, 2])
      for (const grid of GRIDS)
        expect(Math.max(...spectrum.subarray(tone + k * bin(grid) - 3, tone + k * bin(grid) + 4))).toBeLessThan(-90);
  });
});
