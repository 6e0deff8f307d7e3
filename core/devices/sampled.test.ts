import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { AudioReader } from "../audio/audio-reader";
import { DEFAULT_MODULATORS } from "../instruments/default-modulators";
import type { Instrument, Modulator, Zone } from "../instruments/instrument";
import type { Heard } from "../testing/listen";
import { hashOf } from "../testing/listen";
import { magnitudeAt, through } from "../testing/process";
import type { LoadedInstrument, Params, PlayedNote } from "./device";

/** A sampled instrument against the formulas of the specification it is read from. */
const RATE = 48000;
const MIDDLE = Math.SQRT1_2;
const db = (x: number) => 20 * Math.log10(x);

const filled = (frames: number, of: (i: number) => number): Heard => {
  const left = Float32Array.from({ length: frames }, (_, i) => of(i));
  return { left, right: left };
};
const tone = (hz: number, frames: number, rate = RATE) =>
  filled(frames, (i) => Math.sin((2 * Math.PI * hz * i) / rate));
const steady = filled(RATE, () => 1);

/** The left side as a recording of one channel. */
const mono = ({ left: own }: Heard): AudioReader => ({
  frames: own.length,
  channels: 1,
  read(from, count, left, right, offset) {
    if (from < 0 || from + count > own.length) throw new RangeError("reads outside the recording");
    left.set(own.subarray(from, from + count), offset);
    right.set(own.subarray(from, from + count), offset);
  },
});

/** An instrument of zones of one recording. */
function loaded(
  zones: readonly Omit<Zone, "sample">[],
  audio: Heard = steady,
  { rate = RATE, modulators = [] as readonly Modulator[] } = {},
): LoadedInstrument {
  const instrument: Instrument = {
    ...{ id: "i", name: "", origin: "", modulators: [[...modulators]] },
    zones: zones.map((z) => ({ sample: hashOf(1), ...z })),
  };
  return { instrument, open: () => ({ audio: mono(audio), rate }) };
}
const note = (pitch = 60, frames = RATE, velocity = 127, start = 0): PlayedNote => ({ start, frames, pitch, velocity });
const play = (instrument: LoadedInstrument, notes: readonly PlayedNote[], frames = RATE, params: Params = {}) => {
  const silence = { left: new Float32Array(frames), right: new Float32Array(frames) };
  return through("sampled", params, silence, { instrument, notes });
};

describe("a zone", () => {
  test("plays its recording as it is, at its own key, in the middle by equal power; then silence", () => {
    const audio = tone(441, 4000);
    const { left, right } = play(loaded([{}], audio), [note()], 8000);
    const expected = audio.left.map((x) => x * MIDDLE);
    const worst = left.reduce((most, x, i) => Math.max(most, Math.abs(x - (expected[i] ?? 0))), 0);
    // Between two frames the reader's own ripple: less than -100 dB.
    expect(db(worst)).toBeLessThan(-100);
    expect(left.slice(4040).every((x) => x === 0)).toBe(true);
    expect(right).toEqual(left);
  });

  test.each([
    [72, 44100, 0, 100, 2 * (44100 / 48000)],
    [60, 48000, 35, 100, 2 ** (35 / 1200)],
    [48, 96000, 0, 50, 2 ** -0.5 * 2],
    [67, 48000, -20, 100, 2 ** (680 / 1200)],
  ])("key %i of a recording at %i Hz, %i cents, %i cents a key", (pitch, rate, cents, keyCents, ratio) => {
    const audio = tone(300, 200_000, RATE);
    const heard = play(loaded([{ cents, keyCents }], audio, { rate }), [note(pitch)], 32_768).left;
    expect(
      Math.abs(
        db(
          magnitudeAt(heard, 300 * ratio) /
            magnitudeAt(
              heard.map((_, i) => MIDDLE * Math.sin((2 * Math.PI * 300 * ratio * i) / RATE)),
              300 * ratio,
            ),
        ),
      ),
    ).toBeLessThan(0.01);
  });

  test("images and what folds lie below -90 dB, up and down two octaves", () => {
    for (const pitch of [36, 53, 66, 79, 84]) {
      const hz = 1000;
      // Through a window, whose own skirts lie deeper than what is looked for.
      const heard = play(loaded([{}], tone(hz, 400_000)), [note(pitch, 60_000)], 32_768).left.map(
        (x, i) => x * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / 32_768)) ** 2,
      );
      const played = hz * 2 ** ((pitch - 60) / 12);
      const own = magnitudeAt(heard, played);
      for (const image of [RATE * 2 ** ((pitch - 60) / 12) - played, 2 * played, 3 * played].map((f) => f % RATE))
        if (image > 100 && image < RATE / 2 && Math.abs(image - played) > 300)
          expect(db(magnitudeAt(heard, image) / own), `${pitch}: ${image}`).toBeLessThan(-90);
    }
  });

  test("a loop of whole periods goes on as one tone for as long as the note is held, however long", () => {
    // 441 periods of 100 frames; the loop is 30 of them, somewhere in the middle.
    const audio = filled(9000, (i) => Math.sin((2 * Math.PI * i) / 100));
    const zone = { loop: "continuous" as const, loopFrom: 2000, loopTo: 5000 };
    for (const pitch of [60, 64, 43]) {
      const heard = play(loaded([zone], audio), [note(pitch, 120_000)], 100_000).left;
      const step = 2 ** ((pitch - 60) / 12);
      const worst = heard.reduce(
        (most, x, i) =>
          i < 100 ? most : Math.max(most, Math.abs(x - MIDDLE * Math.sin((2 * Math.PI * i * step) / 100))),
        0,
      );
      expect(db(worst), String(pitch)).toBeLessThan(-90);
    }
  });

  test("until it is let go: then the round is played to its end, and what lies behind the loop", () => {
    const audio = filled(3000, (i) => i / 3000);
    const zone = {
      ...{ loop: "until release" as const, loopFrom: 1000, loopTo: 2000 },
      volume: { releaseS: 200 },
    };
    const { left } = play(loaded([zone], audio), [note(60, 3520)], 8000);
    const places = Array.from({ length: 8000 }, (_, i) =>
      i < 2000 ? i : i < 4000 ? 1000 + ((i - 2000) % 1000) : i - 2000,
    );
    for (const i of [500, 1500, 2500, 3300, 3900, 4100, 4700])
      expect(Math.abs((left[i] ?? 0) / MIDDLE - (places[i] ?? 0) / 3000), String(i)).toBeLessThan(2e-3);
    expect(left.slice(5100).every((x) => x === 0)).toBe(true);
  });
});

describe("levels", () => {
  test("attack, hold, decay, sustain and release follow their formulas", () => {
    const volume = { delayS: 0.05, attackS: 0.1, holdS: 0.08, decayS: 1, sustainDb: 12, releaseS: 0.5 };
    const held = 0.5;
    const { left } = play(
      loaded([{ volume, loop: "continuous", loopFrom: 0, loopTo: RATE }]),
      [note(60, held * RATE)],
      1.2 * RATE,
    );
    const formula = (t: number): number => {
      if (t < 0.05) return 0;
      if (t < 0.15) return (t - 0.05) / 0.1;
      if (t < 0.23) return 1;
      const down = (u: number) => 10 ** (-Math.min(12, 100 * (u - 0.23)) / 20);
      return t < held ? down(t) : down(held) * 10 ** ((-100 * (t - held)) / 0.5 / 20);
    };
    for (let i = 4; i < RATE; i += 37) {
      const t = i / RATE;
      const [is, should] = [(left[i] ?? 0) / MIDDLE, formula(t)];
      // In straight lines of 32 frames between the formula's own values.
      if (should > 1e-4) expect(Math.abs(is - should), `${t} s`).toBeLessThan(0.004);
    }
    expect(left.slice(1.05 * RATE).every((x) => x === 0)).toBe(true);
  });

  test("velocity is its square by the modulators of every SoundFont, and by a touch of 1", () => {
    for (const [zone, modulators] of [
      [{}, DEFAULT_MODULATORS],
      [{ touch: 1 }, []],
    ] as const)
      for (const velocity of [1, 20, 64, 100, 127]) {
        const { left } = play(loaded([{ ...zone }], steady, { modulators }), [note(60, RATE, velocity)], 2000);
        expect(db((left[1000] ?? 0) / MIDDLE / (velocity / 127) ** 2)).toBeCloseTo(0, 3);
      }
  });

  test("pan keeps the power of one channel", () => {
    for (const pan of [-1, -0.5, 0, 0.3, 1]) {
      const { left, right } = play(loaded([{ pan }]), [note()], 2000);
      const [l, r] = [left[1000] ?? 0, right[1000] ?? 0];
      expect(l * l + r * r).toBeCloseTo(1, 4);
      expect(Math.atan2(r, l)).toBeCloseTo((Math.PI / 4) * (1 + pan), 4);
    }
  });

  test("zones that fade into each other keep their power over keys and velocities", () => {
    const zones = [{ velocityFade: [0, 0, 40, 90] as const }, { velocityFade: [40, 90, 127, 127] as const }].map(
      (z) => ({ ...z, velocityFade: [...z.velocityFade] as [number, number, number, number] }),
    );
    for (const velocity of [20, 40, 55, 65, 90, 120]) {
      const each = zones.map((z) => play(loaded([z]), [note(60, RATE, velocity)], 2000).left[1000] ?? 0);
      expect(each.reduce((sum, x) => sum + x * x, 0)).toBeCloseTo(0.5, 3);
    }
  });

  test("a note of an exclusive class ends the one before, soon and without a step", () => {
    const zone = { exclusive: 1, stoppedBy: 1, loop: "continuous" as const, loopTo: RATE, volume: { releaseS: 5 } };
    const { left } = play(loaded([zone]), [note(60, RATE), note(62, RATE, 127, 4800)], 9600);
    expect(left[4700]).toBeCloseTo(MIDDLE, 4);
    expect(left[6000]).toBeCloseTo(MIDDLE, 3);
    const steps = left.slice(4810, 6000).map((x, i) => Math.abs(x - (left[4809 + i] ?? 0)));
    expect(Math.max(...steps)).toBeLessThan(0.02);
  });
});

describe("movement", () => {
  test("vibrato, the wheel's own, and a sweep of the pitch", () => {
    const hz = 1000;
    /** Cents over its own pitch, by zero crossings around a time. */
    const centsAt = (x: Float32Array, t: number): number => {
      const crossings: number[] = [];
      for (let i = Math.round((t - 0.006) * RATE); i < (t + 0.006) * RATE; i++) {
        const [a, b] = [x[i] ?? 0, x[i + 1] ?? 0];
        if (a < 0 && b >= 0) crossings.push(i - a / (b - a));
      }
      const periods = crossings.length - 1;
      return 1200 * Math.log2((periods * RATE) / ((crossings.at(-1) ?? 0) - (crossings[0] ?? 0)) / hz);
    };
    const audio = tone(hz, 100_000);
    const shaken = play(loaded([{ vibrato: { delayS: 0.1, hz: 2, cents: 60 } }], audio), [note()], RATE).left;
    // A triangle: a quarter of its period after the delay it is at its top.
    expect(centsAt(shaken, 0.05)).toBeCloseTo(0, 0);
    expect(Math.abs(centsAt(shaken, 0.225) - 60)).toBeLessThan(2);
    expect(Math.abs(centsAt(shaken, 0.475) + 60)).toBeLessThan(2);
    const wheel = loaded([{ vibrato: { hz: 2 } }], audio, { modulators: DEFAULT_MODULATORS });
    expect(Math.abs(centsAt(play(wheel, [note()], RATE, { wheel: 100 }).left, 0.125) - 50)).toBeLessThan(2);
    const swept = loaded([{ sweep: { cents: 1200, attackS: 0, holdS: 0.1, decayS: 0.4, sustain: 0.5 } }], audio);
    const heard = play(swept, [note()], RATE).left;
    expect(Math.abs(centsAt(heard, 0.05) - 1200)).toBeLessThan(2);
    expect(Math.abs(centsAt(heard, 0.2) - 900)).toBeLessThan(3);
    expect(Math.abs(centsAt(heard, 0.5) - 600)).toBeLessThan(2);
    expect(Math.abs(centsAt(play(loaded([{}], audio), [note()], RATE, { bend: -200 }).left, 0.5) + 200)).toBeLessThan(
      1,
    );
  });

  test("the filter is a two-pole low pass, as high at its cutoff as it says, and takes half of that away", () => {
    const [filterHz, resonanceDb] = [2000, 12];
    for (const takes of [false, true]) {
      const gainAt = (hz: number) => {
        const zone = { filter: "low" as const, filterHz, resonanceDb, resonanceTakes: takes };
        const heard = play(loaded([zone], tone(hz, 100_000)), [note()], RATE).left;
        const plain = play(loaded([{}], tone(hz, 100_000)), [note()], RATE).left;
        const peak = (x: Float32Array) => x.slice(20_000, 44_000).reduce((most, v) => Math.max(most, Math.abs(v)), 0);
        return db(peak(heard) / peak(plain));
      };
      const q = 10 ** (resonanceDb / 20);
      for (const hz of [100, 1000, 2000, 4000, 9000]) {
        const w = Math.tan((Math.PI * hz) / RATE) / Math.tan((Math.PI * filterHz) / RATE);
        const should = -db(Math.hypot(1 - w * w, w / q)) - (takes ? resonanceDb / 2 : 0);
        expect(Math.abs(gainAt(hz) - should), `${hz}`).toBeLessThan(0.12);
      }
    }
  });
});

describe("choice", () => {
  test("turns and chance come from the note alone, the same each time, and every zone has its share", () => {
    const zones = [0, 1, 2].map((turn) => ({ turn, turns: 3, gainDb: -20 * turn }));
    const notes = Array.from({ length: 300 }, (_, i) => note(60, 100, 100, 200 * i));
    const levels = (list: readonly PlayedNote[]) => {
      const { left } = play(loaded(zones), list, 60_100);
      return list.map((n) => Math.round(-db((left[n.start + 80] ?? 0) / MIDDLE)));
    };
    const all = levels(notes);
    for (const level of [0, 20, 40]) expect(all.filter((x) => x === level).length).toBeGreaterThan(70);
    const some = notes.filter((_, i) => i % 7 === 3);
    expect(levels(some)).toEqual(all.filter((_, i) => i % 7 === 3));
  });

  test("a zone that plays when a note ends begins there", () => {
    const { left } = play(loaded([{ plays: "release", to: 500 }]), [note(60, 3000)], 6000);
    const first = left.findIndex((x) => x !== 0);
    expect(Math.abs(first - 3000)).toBeLessThan(20);
    expect(left.slice(3600).every((x) => x === 0)).toBe(true);
  });

  test("whatever else sounds, a note sounds the same", () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ pitch: fc.integer({ min: 40, max: 80 }), start: fc.nat(9000) }), { maxLength: 12 }),
        (others) => {
          const zone = { loop: "continuous" as const, loopFrom: 1000, loopTo: 3000, vibrato: { hz: 5, cents: 30 } };
          const instrument = loaded([zone], tone(500, 9000));
          const own = note(60, 5000, 100, 777);
          const rest = others
            .map(({ pitch, start }) => note(pitch, 3000, 90, start))
            .filter((n) => n.start !== own.start || n.pitch !== own.pitch);
          const sorted = (list: readonly PlayedNote[]) => [...list].sort((a, b) => a.start - b.start);
          const alone = play(instrument, [own], 12_000).left;
          const without = play(instrument, sorted(rest), 12_000).left;
          const together = play(instrument, sorted([...rest, own]), 12_000).left;
          const worst = together.reduce((m, x, i) => Math.max(m, Math.abs(x - (alone[i] ?? 0) - (without[i] ?? 0))), 0);
          expect(worst).toBeLessThan(1e-5);
        },
      ),
      { numRuns: 12, seed: 3 },
    );
  });
});
