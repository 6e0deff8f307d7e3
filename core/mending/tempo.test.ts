import { expect, it } from "vitest";
import type { AudioReader } from "../audio/audio-reader";
import { randomBipolar, randomUnit } from "../random";
import { beginningsOf } from "./heard";
import { heardTempo, otherTempo } from "./tempo";
import { share } from "../../tests/setup/share";

/** Low, so that two hundred patterns are made in seconds. */
const RATE = 16000;
const SECONDS = 40;

const readerOf = (samples: Float32Array): AudioReader => ({
  frames: samples.length,
  channels: 1,
  read(from, count, l, r, offset) {
    l.set(samples.subarray(from, from + count), offset);
    r.set(samples.subarray(from, from + count), offset);
  },
});

type Voice = (phase: number, i: number) => number;
const kick: Voice = (_, i) =>
  Math.sin(2 * Math.PI * 60 * (i / RATE) * (1 + 2 * Math.exp(-i / 200))) * Math.exp(-i / 1300);
const snare: Voice = (_, i) => 0.6 * randomBipolar(3, i) * Math.exp(-i / 800);
const hat: Voice = (_, i) => 0.25 * randomBipolar(9, i) * Math.exp(-i / 300);
const pluck: Voice = (hz, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE) * Math.exp(-i / 2000);

interface Hit {
  readonly beat: number;
  readonly voice: Voice;
  readonly hz?: number;
  readonly gain?: number;
}

/** A file of hits at beats of a tempo; every hit up to `loose` seconds early or late. */
function fileOf(hits: readonly Hit[], bpm: number, seed: number, loose: number): AudioReader {
  const out = new Float32Array(SECONDS * RATE);
  hits.forEach(({ beat, voice, hz = 0, gain = 1 }, n) => {
    const at = Math.round(((beat * 60) / bpm + loose * randomBipolar(seed, n)) * RATE) + 700;
    for (let i = 0; i < 3000 && at + i < out.length; i++)
      if (at + i >= 0) out[at + i] = (out[at + i] ?? 0) + 0.6 * gain * voice(hz, i);
  });
  return readerOf(out);
}

/** Beats of a whole file, by the places in a bar of four at which something is played. */
const every = (bpm: number, places: readonly number[], bar = 4): readonly number[] => {
  const last = (SECONDS * bpm) / 60 - 1;
  const beats: number[] = [];
  for (let from = 0; from < last; from += bar) for (const p of places) if (from + p < last) beats.push(from + p);
  return beats;
};
const hits = (voice: Voice, beats: readonly number[], gain = 1): readonly Hit[] =>
  beats.map((beat) => ({ beat, voice, gain }));
const SCALE = [220, 247, 262, 294, 330, 349, 392, 440];

const KINDS = [
  "straight",
  "four on the floor",
  "swung",
  "triplets",
  "sparse",
  "without drums",
  "tresillo",
  "broken",
  "swung sixteenths",
  "twelve eighths",
  "off the beat",
  "half time",
  "arpeggio",
] as const;
type Kind = (typeof KINDS)[number];

/** Files of a pattern, each of one voice, or one of all. */
function patternOf(kind: Kind, bpm: number, seed: number): readonly (readonly Hit[])[] {
  const chance = (n: number) => randomUnit(seed, n);
  const backbeat = hits(snare, every(bpm, [1, 3]));
  const grid = (division: number) => Array.from({ length: 4 * division }, (_, i) => i / division);
  switch (kind) {
    case "four on the floor":
      return [hits(kick, every(bpm, [0, 1, 2, 3])), backbeat];
    case "straight": {
      const extra = [0.75, 1.5, 1.75, 2.5, 3.25, 3.75].filter((_, i) => chance(i) > 0.55);
      return [
        hits(
          kick,
          every(
            bpm,
            [0, 2, ...extra].sort((a, b) => a - b),
          ),
        ),
        backbeat,
        hits(hat, every(bpm, grid(chance(9) > 0.5 ? 2 : 4)), 0.7),
      ];
    }
    case "swung":
      return [
        hits(kick, every(bpm, chance(1) > 0.5 ? [0, 2] : [0, 1 + 2 / 3, 2])),
        backbeat,
        hits(hat, every(bpm, [0, 1, 1 + 2 / 3, 2, 3, 3 + 2 / 3]), 0.8),
      ];
    case "triplets":
      return [hits(kick, every(bpm, [0, 2])), backbeat, hits(hat, every(bpm, grid(3)), 0.7)];
    case "sparse":
      return [
        hits(kick, every(bpm, chance(2) > 0.5 ? [0, 2.5] : [0])),
        hits(snare, every(bpm, [2])),
        hits(hat, every(bpm, [1, 3])),
      ];
    case "tresillo":
      return [hits(kick, every(bpm, [0, 1.5, 3])), backbeat, hits(hat, every(bpm, grid(2)), 0.6)];
    case "broken":
      return [
        hits(kick, every(bpm, [0, 0.5, 2.5, 2.75])),
        hits(snare, every(bpm, [1, 1.75, 2.25, 3, 3.75])),
        hits(hat, every(bpm, grid(2)), 0.7),
      ];
    case "swung sixteenths": {
      const swung = [0, 1, 2, 3].flatMap((b) => [b, b + 1 / 3, b + 1 / 2, b + 5 / 6]);
      return [hits(kick, every(bpm, [0, 2, 2 + 5 / 6])), backbeat, hits(hat, every(bpm, swung), 0.6)];
    }
    case "twelve eighths":
      return [hits(kick, every(bpm, [0, 2 + 2 / 3])), backbeat, hits(hat, every(bpm, grid(3)), 0.6)];
    case "off the beat":
      return [hits(kick, every(bpm, [0, 1, 2, 3])), backbeat, hits(hat, every(bpm, [0.5, 1.5, 2.5, 3.5]), 0.9)];
    case "half time":
      return [hits(kick, every(bpm, [0, 1.75])), hits(snare, every(bpm, [2])), hits(hat, every(bpm, grid(4)), 0.5)];
    case "arpeggio":
      return [
        every(bpm, grid(4)).map((beat, n) => ({
          ...{ beat, voice: pluck, hz: SCALE[n % 8] ?? 220 },
          gain: n % 4 === 0 ? 1 : 0.7,
        })),
      ];
    case "without drums": {
      const places = grid(2).filter((_, i) => i % 4 === 0 || chance(20 + i) > 0.35);
      return [
        every(bpm, places).map((beat, n) => ({
          beat,
          voice: pluck,
          hz: SCALE[Math.floor(8 * randomUnit(seed + 1, n))] ?? 220,
        })),
      ];
    }
  }
}

it("hears 95 % of the tempos of random patterns, or half or twice, and is silent rather than wrong", () => {
  const wrong: string[] = [];
  const silent: string[] = [];
  for (let n = 0; n < share(200); n++) {
    const kind = KINDS[n % KINDS.length]!;
    const bpm = Math.round(2 * (60 + 120 * randomUnit(1, n))) / 2;
    const voices = patternOf(kind, bpm, n);
    const loose = [0, 0.003, 0.008][n % 3]!;
    const isOneFile = randomUnit(2, n) > 0.5;
    const files = isOneFile
      ? [fileOf(voices.flat(), bpm, n, loose)]
      : voices.map((v, i) => fileOf(v, bpm, 10 * n + i, loose));
    const heard = heardTempo(
      beginningsOf(files, RATE, () => undefined),
      RATE,
      null,
    );
    const what = `${kind}, ${bpm} bpm, ${isOneFile ? "one file" : "files"}, loose ${loose}: ${heard ?? "silent"}`;
    if (heard === null) silent.push(what);
    else if (![heard, otherTempo(heard)].some((b) => Math.abs(b / bpm - 1) < 0.005)) wrong.push(what);
  }
  expect(wrong.length, [...wrong, "", ...silent].join("\n")).toBeLessThanOrEqual(share(4));
  expect(wrong.length + silent.length, [...wrong, "", ...silent].join("\n")).toBeLessThanOrEqual(share(10));
}, 300_000);
