import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { share } from "../../../tests/setup/share";
import { wholeZone, withSamples } from "../../instruments/instrument";
import { instrumentSchema } from "../../instruments/instrument-schema";
import { noise } from "../../testing/listen";
import { type WrittenFont, type WrittenZone, range, writeSoundFont } from "../../testing/sound-font";
import { MalformedFile, MemorySource } from "../bytes/bytes";
import { readPreset } from "./instrument";
import { SoundFont } from "./read";

const sample = (name: string, frames = 500) => ({
  ...{ name, audio: noise(frames, 3).left, rate: 44100, key: 62, cents: -7, loopFrom: 100, loopTo: 400 },
});
const own = (zones: readonly WrittenZone[], preset: readonly WrittenZone[] = [{ generators: { instrument: 0 } }]) =>
  writeSoundFont({
    samples: [sample("first"), sample("second", 300)],
    instruments: [{ name: "Instrument", zones }],
    presets: [{ name: "Preset", bank: 3, program: 17, zones: preset }],
  });
const open = (bytes: Uint8Array) => new SoundFont(new MemorySource(bytes));
const zonesOf = (bytes: Uint8Array) =>
  readPreset(open(bytes), 0, { id: "p" }).instrument.zones.map((zone) => wholeZone(zone));

describe("a SoundFont", () => {
  test("says what it is, and gives its samples as they were written, of 16 and of 24 bits", () => {
    const audio = noise(700, 9, 0.8).left;
    for (const fine of [false, true]) {
      const font = open(
        writeSoundFont({
          ...{ name: "Mine", samples: [{ name: "noise", audio, rate: 32000 }], fine },
          instruments: [{ name: "i", zones: [{ generators: { sampleID: 0 } }] }],
          presets: [{ name: "p", bank: 0, program: 0, zones: [{ generators: { instrument: 0 } }] }],
        }),
      );
      expect([font.name, font.version, font.presets]).toEqual(["Mine", "2.04", [{ name: "p", bank: 0, program: 0 }]]);
      const read = font.sample(0)!;
      const [left, right] = [new Float32Array(700), new Float32Array(700)];
      for (let at = 0; at < 700; at += 70) read.read(at, 70, left, right, at);
      const worst = left.reduce((most, x, i) => Math.max(most, Math.abs(x - audio[i]!)), 0);
      expect([read.frames, read.rate, read.depth, worst < (fine ? 2 ** -23 : 2 ** -15)]).toEqual([
        700,
        32000,
        fine ? "24" : "16",
        true,
      ]);
    }
  });

  test("zones take what they do not say from the global zone, else the default; the preset adds to it", () => {
    const [first, second] = zonesOf(
      own(
        [
          { generators: { pan: -250, coarseTune: 2, releaseVolEnv: 0 } },
          { generators: { keyRange: range(20, 60), pan: 500, sampleID: 0 } },
          { generators: { keyRange: range(61, 100), velRange: range(10, 90), sampleID: 1, sampleModes: 1 } },
        ],
        [
          { generators: { fineTune: 30 } },
          { generators: { keyRange: range(30, 80), pan: 100, initialAttenuation: 60, instrument: 0 } },
        ],
      ),
    );
    expect(first).toMatchObject({ lowKey: 30, highKey: 60, softest: 0, loudest: 127, pan: 1, cents: 223, gainDb: -6 });
    expect(second).toMatchObject({ lowKey: 61, highKey: 80, softest: 10, loudest: 90, pan: -0.3, rootKey: 62 });
    expect(second).toMatchObject({ loop: "continuous", loopFrom: 100, loopTo: 400, sample: "1" });
    expect([first?.volume.releaseS, first?.loop]).toEqual([1, "none"]);
  });

  test("every value is in the unit that the specification gives it", () => {
    const [zone] = zonesOf(
      own([
        {
          generators: {
            ...{ attackVolEnv: -1200, holdVolEnv: 0, decayVolEnv: 1200, sustainVolEnv: 250, delayVolEnv: -32768 },
            ...{ keynumToVolEnvHold: 50, keynumToVolEnvDecay: -20, modEnvToPitch: 700, modEnvToFilterFc: -300 },
            ...{ sustainModEnv: 400, initialFilterFc: 6900, initialFilterQ: 150, modLfoToVolume: 35 },
            ...{ freqVibLFO: 1200, vibLfoToPitch: 40, freqModLFO: -1200, delayModLFO: -7973, scaleTuning: 50 },
            ...{ overridingRootKey: 70, exclusiveClass: 9, sampleModes: 3, startloopAddrsOffset: 10, sampleID: 0 },
            ...{ endloopAddrsOffset: -20, startAddrsOffset: 5, endAddrsOffset: -50 },
          },
        },
      ]),
    );
    const hz = 8.176;
    expect(zone).toMatchObject({
      ...{ rootKey: 70, keyCents: 50, exclusive: 9, stoppedBy: 9, loop: "until release", loopFrom: 110, loopTo: 380 },
      ...{ from: 5, to: 450, resonanceDb: 15, resonanceTakes: true, filter: "low" },
    });
    expect(zone?.volume).toMatchObject({ attackS: 0.5, holdS: 1, decayS: 2, sustainDb: 25, delayS: 0 });
    expect(zone?.volume).toMatchObject({ holdKeyCents: 50, decayKeyCents: -20 });
    expect(zone?.sweep).toMatchObject({ cents: 700, filterCents: -300, sustain: 0.6 });
    expect(zone?.filterHz).toBeCloseTo(hz * 2 ** (6900 / 1200), 6);
    expect([zone?.vibrato.hz, zone?.vibrato.cents]).toEqual([expect.closeTo(2 * hz, 9), 40]);
    expect([zone?.lfo.hz, zone?.lfo.delayS, zone?.lfo.db]).toEqual([
      expect.closeTo(hz / 2, 9),
      expect.closeTo(0.01, 5),
      3.5,
    ]);
  });

  test("a modulator of its own stands in the place of the default; a preset's is added; what is not played is told", () => {
    const modulator = (source: number, to: number, amount: number) => ({ source, to, amount, by: 0, transform: 0 });
    const { instrument, lost } = readPreset(
      open(
        own(
          [{ generators: { sampleID: 0, reverbEffectsSend: 200 }, modulators: [modulator(0x0502, 48, 480)] }],
          [
            {
              generators: { instrument: 0 },
              modulators: [
                modulator(0x0502, 48, 100),
                modulator(0x0002, 8, 600),
                modulator(0x000d, 6, 50),
                modulator(2, 15, 9),
              ],
            },
          ],
        ),
      ),
      0,
      { id: "p" },
    );
    const list = instrument.modulators[instrument.zones[0]?.modulators ?? 0] ?? [];
    const amounts = (to: string) =>
      list.filter((m) => m.to === to && m.source.from === "velocity").map((m) => m.amount);
    expect(amounts("gainDb")).toEqual([-48, -10]);
    expect(amounts("filterCents")).toEqual([-2400, 600]);
    expect(lost.map((l) => `${l.what} ${l.which}`)).toEqual([
      "modulator vibLfoToPitch",
      "modulator chorusEffectsSend",
      "reverb send ",
    ]);
  });
});

describe("bytes that are no SoundFont, or no whole one", () => {
  const font: WrittenFont = {
    samples: [sample("a", 60), sample("b", 50)],
    instruments: [
      {
        name: "i",
        zones: [
          { generators: { pan: 3 } },
          { generators: { sampleID: 0, keyRange: range(1, 50) } },
          { generators: { sampleID: 1 } },
        ],
      },
      {
        name: "j",
        zones: [
          {
            generators: { sampleID: 1, sampleModes: 1 },
            modulators: [{ source: 2, to: 8, amount: 5, by: 0, transform: 0 }],
          },
        ],
      },
    ],
    presets: [
      { name: "p", bank: 0, program: 0, zones: [{ generators: { instrument: 0 } }, { generators: { instrument: 1 } }] },
      { name: "q", bank: 1, program: 5, zones: [{ generators: { instrument: 1 } }] },
    ],
  };
  const sound = writeSoundFont(font);

  test("are read, or refused as what they are, whichever bytes are wrong", () => {
    let read = 0;
    const tries = share(10_000, 10);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(sound.length - 1), fc.nat(255)), { minLength: 1, maxLength: 8 }),
        fc.option(fc.nat(sound.length)),
        (changes, end) => {
          const bytes = sound.slice(0, end ?? sound.length);
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          try {
            const opened = open(bytes);
            for (const [i] of opened.presets.entries()) {
              const { instrument } = readPreset(opened, i, { id: "p" });
              const stored = instrumentSchema.safeParse(withSamples(instrument, () => "0".repeat(64)));
              expect(stored.success ? [] : stored.error.issues.map((e) => `${e.path.join(".")}: ${e.message}`)).toEqual(
                [],
              );
              for (const zone of instrument.zones) {
                const audio = opened.sample(Number(zone.sample));
                const n = Math.min(64, audio?.frames ?? 0);
                if (audio) audio.read(audio.frames - n, n, new Float32Array(n), new Float32Array(n), 0);
              }
            }
            read++;
          } catch (error) {
            if (!(error instanceof MalformedFile)) throw error;
          }
        },
      ),
      { numRuns: tries, seed: 8 },
    );
    expect(read).toBeGreaterThan(tries / 50);
  });

  test("a list that says it is longer than its file, and one with presets without end", () => {
    const long = sound.slice();
    new DataView(long.buffer).setUint32(16, 0x7fffffff, true);
    expect(() => open(long)).toThrow(MalformedFile);
    expect(() => open(new Uint8Array(5))).toThrow(MalformedFile);
    expect(() => open(Uint8Array.from(Array.from("RIFF\x04\0\0\0sfbk", (c) => c.charCodeAt(0))))).toThrow(/pdta/);
  });
});
