import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../session/build";
import type { Session } from "../session/document";
import { recordedAssets } from "../testing/random-session";
import { hashOf } from "../testing/listen";
import { fillSheet } from "../delivery/sheet";
import type { ExportPlan } from "../delivery/plan";
import { planExport } from "../delivery/plan";
import { papersOf } from "./papers";
import type { FileAsWritten } from "./facts";
import { sheetFacts } from "./facts";
import { sayRefusals } from "../words/refusals";

const made = { revision: 7, date: new Date("2026-11-28T04:05:06Z") };
const written: FileAsWritten = {
  channels: 2,
  rate: 48000,
  frames: 96000,
  bytes: 576_080,
  sha256: "ab".repeat(32),
  measures: {
    frames: 96000,
    peakDb: -3.25,
    truePeakDb: -3.1234,
    lufs: -18.456,
    rangeLu: 4,
    firstSound: 0,
    lastSound: 95999,
    endDb: null,
    clippedRuns: 0,
    mono: false,
  },
  overview: Uint8Array.from([200, 50, 180, 90]),
};
const silent: FileAsWritten = {
  ...written,
  channels: 1,
  measures: { ...written.measures, peakDb: null, truePeakDb: null, lufs: null, rangeLu: null },
  overview: new Uint8Array(0),
};

function delivery(name: string, parts: Partial<Session> = {}): { session: Session; plan: ExportPlan } {
  const base = makeSession({
    name: "Cue",
    assets: recordedAssets,
    tracks: [
      makeTrack({
        id: "a",
        name,
        kind: "audio",
        clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 4800, frames: 48000 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
    ...parts,
  });
  const session = { ...base, sheet: { ...fillSheet(base), ...parts.sheet } };
  const plan = planExport(session);
  if (!plan.ok) throw new Error(sayRefusals(plan.refusals));
  return { session, plan: plan.value };
}

/** Rows of a table by RFC 4180, read by its grammar and nothing else. */
function rowsOf(csv: string): readonly (readonly string[])[] {
  const rows: string[][] = [[]];
  for (const [, quoted, plain, end] of csv.matchAll(/(?:"((?:[^"]|"")*)"|([^",\r\n]*))(,|\r\n)/g)) {
    rows.at(-1)!.push(quoted?.replaceAll('""', '"') ?? plain ?? "");
    if (end === "\r\n") rows.push([]);
  }
  return rows.slice(0, -1);
}

const text = (name: string, role: string, parts: Partial<Session> = {}) => {
  const { session, plan } = delivery(name, parts);
  const bytes = papersOf(session, plan, [written, silent], made).find((d) => d.role === role)!.bytes;
  return new TextDecoder("utf-8", { ignoreBOM: true }).decode(bytes);
};

describe("the table of a delivery", () => {
  test("any name comes back out of it as it went in, and none is computed as a formula", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", minLength: 1, maxLength: 60 }), (name) => {
        const csv = text(name, "table");
        expect(csv.startsWith("\ufeff")).toBe(true);
        const [head = [], stem = [], mix = [], ...more] = rowsOf(csv.slice(1));
        expect([stem.length, mix.length, more.length]).toEqual([head.length, head.length, 0]);
        const title = stem[head.indexOf("Title")]!;
        expect(title.replace(/^'(?=[=+\-@\t\r])/, "")).toBe(name.replace(/^'(?=[=+\-@\t\r])/, ""));
        expect(title).not.toMatch(/^[=+\-@\t\r]/);
      }),
      { numRuns: 300, seed: 3 },
    );
  });

  test("says where, how long and how loud each file is; what is silent has no level", () => {
    const [head = [], stem = [], mix = []] = rowsOf(text("Anchor", "table").slice(1));
    const of = (row: readonly string[], column: string) => row[head.indexOf(column)];
    expect(of(stem, "File")).toBe("01 Anchor.wav");
    expect(of(stem, "Length (frames)")).toBe("96000");
    expect(of(stem, "Length (s)")).toBe("2");
    expect(of(stem, "Loudness (LUFS)")).toBe("-18.46");
    expect(of(stem, "True peak (dBTP)")).toBe("-3.12");
    expect(of(stem, "Taken")).toBe("through groups, without returns, shared dynamics follow the whole");
    expect([of(mix, "Kind"), of(mix, "Channels"), of(mix, "Loudness (LUFS)")]).toEqual(["reference mix", "mono", ""]);
  });
});

describe("the page of a delivery", () => {
  test("names no address that could be fetched, and no name gets out of its place", () => {
    const page = text(`<script src="https://x.example">&'"`, "sheet");
    expect(page).not.toMatch(/<(script|link|img|iframe|object)|\ssrc="|url\(/);
    expect(page.match(/"https?:[^"]*"/g)).toEqual([`"http://www.w3.org/1999/xhtml"`]);
    expect(page).toContain("&lt;script");
  });

  test("tells what holds at the first frame, and what changes behind it, from the files' own beginning", () => {
    const parts: Partial<Session> = {
      rate: 48000,
      tempo: [
        { tick: 0, bpm: 120, shape: "hold" },
        { tick: 3840, bpm: 60, shape: "hold" },
        { tick: 9600, bpm: 90, shape: "hold" },
      ],
      markers: [
        { id: "m1", name: "Before", tick: 100 },
        { id: "m2", name: "Chorus", tick: 5760 },
      ],
    };
    const { session, plan } = delivery("Anchor", parts);
    const from = { ...plan, from: 24000, to: 24000 + 4 * 48000 };
    const facts = sheetFacts(session, from, [written, silent], made);
    expect(facts.tempo).toEqual([
      { position: "1.2.000", clock: "0:00.000", text: "120 bpm" },
      { position: "2.1.000", clock: "0:01.500", text: "60 bpm" },
    ]);
    expect(facts.meter).toEqual([{ position: "1.2.000", clock: "0:00.000", text: "4/4" }]);
    expect(facts.markers).toEqual([{ position: "2.3.000", clock: "0:03.500", text: "Chorus" }]);
    expect([facts.date, facts.from]).toEqual(["2026-11-28", "1.2.000"]);
  });
});

test("the same delivery is the same papers, to the byte", () => {
  const { session, plan } = delivery("Anchor");
  const once = papersOf(session, plan, [written, silent], made);
  expect(papersOf(session, plan, [written, silent], made)).toEqual(once);
  expect(once.map((d) => d.name)).toEqual(["Cue sheet.html", "Cue sheet.csv", "Cue tempo map.mid"]);
});

test.each(["\ufeff=1+1", "\u00a0@A1", "\u200b+1", "\uff1d1+1", " -1", "\u2212" + "1"])(
  "what some program reads as a formula behind what is not seen is text in the table: %j",
  (name) => {
    const [head = [], stem = []] = rowsOf(text(name, "table").slice(1));
    expect(stem[head.indexOf("Title")]).toBe(`'${name}`);
  },
);
