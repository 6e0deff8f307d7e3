import { describe, expect, test } from "vitest";
import type { Manifest } from "../delivery/manifest";
import { hashOf, memoryLibrary, noise } from "../testing/listen";
import type { FileFacts } from "./judge";
import { judge } from "./judge";
import type { Residual } from "./residual";
import { residual } from "./residual";
import { sayVerdict } from "../words/verdict";

const measures: FileFacts["measures"] = {
  frames: 48000,
  peakDb: -6,
  truePeakDb: -5.9,
  lufs: -20,
  rangeLu: 3,
  firstSound: 0,
  lastSound: 40000,
  endDb: -120,
  clippedRuns: 0,
  mono: false,
};
const file: FileFacts = {
  name: "01 Pad.wav",
  role: "stem",
  rate: 48000,
  depth: "24",
  channels: 2,
  frames: 48000,
  timeReference: 0,
  sha256: "aa",
  measures,
  offsetFrames: 0,
  content: { residueDb: -136, residueAt: 9, clippedSamples: 0, lostDb: 0, offsetFrames: 0, cause: null, frames: 48000 },
};
const manifest: Manifest = {
  format: "stemzo-manifest",
  version: 2,
  session: { id: "s", name: "S", revision: 1, rate: 48000 },
  folder: "S",
  rate: 48000,
  depth: "24",
  dither: true,
  frames: 48000,
  range: { from: 0, to: 48000, tail: "none", end: 48000 },
  ends: "equal",
  silence: { bars: 0, frames: 0 },
  whole: "before its chain",
  since: null,
  markers: [],
  notes: "",
  receiver: "",
  timeReference: 0,
  leadIn: 0,
  tempo: [{ tick: 0, bpm: 120, shape: "hold" }],
  meter: [{ bar: 1, numerator: 4, denominator: 4 }],
  files: [
    {
      name: "01 Pad.wav",
      title: "Pad",
      role: "stem",
      sources: ["Pad"],
      tap: "group",
      channels: 2,
      frames: 48000,
      bytes: 1,
      sha256: "aa",
      fingerprint: "f",
      format: "wav",
      fold: null,
      keepsStereo: false,
      key: "",
    },
  ],
  sessionFiles: [],
  papers: [{ name: "Song sheet.html", role: "sheet", bytes: 1, sha256: "bb" }],
};
const quiet: Residual = { peakDb: -123, rmsDb: -140, overTime: [-123], stepSeconds: 1 };
const markOf = (facts: Partial<FileFacts>, check: string) =>
  judge(manifest, [{ ...file, ...facts }], quiet, true, []).checks.find((c) => c.check === check)?.answers[0]?.mark;

describe("verdict", () => {
  test("a delivery that keeps every promise is right", () => {
    expect(judge(manifest, [file], quiet, true, []).mark).toBe("right");
  });

  test.each<[string, Partial<FileFacts>, string]>([
    ["bytes", { sha256: "bb" }, "wrong"],
    ["rate", { rate: 44100 }, "wrong"],
    ["depth", { depth: "16" }, "wrong"],
    ["channels", { channels: 1 }, "wrong"],
    ["channels", { measures: { ...measures, mono: true } }, "look"],
    ["length", { frames: 47999 }, "wrong"],
    ["start", { timeReference: 1 }, "wrong"],
    ["start", { timeReference: null }, "wrong"],
    ["offset", { offsetFrames: 1 }, "wrong"],
    ["sound", { measures: { ...measures, peakDb: null } }, "look"],
    [
      "sound",
      {
        measures: { ...measures, peakDb: null },
        content: { ...file.content!, residueDb: -20, cause: { kind: "silent" } },
      },
      "wrong",
    ],
    ["sound", { measures: { ...measures, peakDb: null }, silence: "nothing placed" }, "right"],
    ["sound", { measures: { ...measures, peakDb: null }, silence: "muted" }, "look"],
    ["length", { content: { ...file.content!, frames: 48001 } }, "wrong"],
    ["content", { content: { ...file.content!, residueDb: -60, cause: null } }, "wrong"],
    ["clipping", { content: { ...file.content!, clippedSamples: 63, lostDb: 11 } }, "wrong"],
    ["clipping", { measures: { ...measures, clippedRuns: 3 } }, "right"],
    ["clipping", { measures: { ...measures, truePeakDb: 0.4 } }, "look"],
    ["tail", { measures: { ...measures, endDb: -40 } }, "look"],
  ])("%s: %o is found", (check, facts, mark) => {
    expect(markOf(facts, check)).toBe(mark);
  });

  test("a file that no stem of the sheet is compared with is wrong", () => {
    const foreign: FileFacts = { ...file };
    delete (foreign as { content?: unknown }).content;
    expect(
      judge(manifest, [foreign], quiet, true, []).checks.find((c) => c.check === "content")?.answers[0]?.mark,
    ).toBe("wrong");
  });

  test("a float file holds what goes above full scale", () => {
    const loud = {
      ...file,
      depth: "32f",
      measures: { ...measures, truePeakDb: 4, clippedRuns: 9 },
      content: { ...file.content!, residueDb: null },
    };
    expect(judge({ ...manifest, depth: "32f" }, [loud], { ...quiet, peakDb: -130 }, true, []).mark).toBe("right");
  });

  test("a residual over the limit is wrong where the stems must add up, and a thing to look at where they need not", () => {
    const loud = { ...quiet, peakDb: -60 };
    expect(judge(manifest, [file], loud, true, []).sum.mark).toBe("wrong");
    expect(judge(manifest, [file], loud, false, []).sum.mark).toBe("look");
    expect(
      judge({ ...manifest, depth: "32f" }, [{ ...file, depth: "32f" }], { ...quiet, peakDb: -115 }, true, []).sum.mark,
    ).toBe("wrong");
  });
});

describe("what lies beside the audio", () => {
  test("is right when nothing is found against it, and wrong with everything that is", () => {
    expect(sayVerdict(judge(manifest, [file], quiet, true, [])).beside).toEqual({
      mark: "right",
      text: "sheet and hashes as promised",
    });
    const spoilt = judge(manifest, [file], quiet, true, [
      { kind: "missing", name: "Song sheet.html" },
      { kind: "not promised", name: "x.wav" },
    ]);
    expect(sayVerdict(spoilt)).toMatchObject({
      mark: "wrong",
      beside: { mark: "wrong", text: "Song sheet.html is missing; x.wav was not promised" },
    });
  });
});

describe("residual", () => {
  const a = noise(40000, 1);
  const b = noise(40000, 7);
  const sum = {
    left: a.left.map((v, i) => Math.fround(v + b.left[i]!)),
    right: a.right.map((v, i) => Math.fround(v + b.right[i]!)),
  };
  const library = memoryLibrary({ [hashOf(1)]: a, [hashOf(2)]: b, [hashOf(3)]: sum });

  const part = (n: number) => ({ audio: library(hashOf(n)), side: null });

  test("parts that add up leave no more than float rounding", () => {
    const r = residual([part(1), part(2)], library(hashOf(3)), 48000);
    expect(r.peakDb ?? -Infinity).toBeLessThan(-140);
    expect(residual([part(1)], library(hashOf(1)), 48000).peakDb).toBeNull();
  });

  test("a part that is missing shows at its level and at its time", () => {
    const r = residual([part(1)], library(hashOf(3)), 48000);
    expect(r.peakDb).toBeCloseTo(
      20 * Math.log10([...b.left, ...b.right].reduce((m, v) => Math.max(m, Math.abs(v)), 0)),
      3,
    );
    expect(r.overTime.every((db) => db !== null && db > -20)).toBe(true);
  });
});
