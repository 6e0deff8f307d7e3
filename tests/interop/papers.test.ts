import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import { sheetPage } from "../../core/papers/page";
import type { SheetFacts } from "../../core/papers/facts";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-papers-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const factsOf = (texts: readonly string[]): SheetFacts => ({
  song: texts[0] ?? "",
  revision: 1,
  date: "2026-11-28",
  rate: 48000,
  depth: "24",
  dither: true,
  ends: "equal",
  leadBars: 0,
  leadSeconds: 0,
  notes: texts.join("\n"),
  receiver: texts[0] ?? "",
  changes: null,
  timeReference: 0,
  frames: 0,
  seconds: 0,
  from: "1.1.000",
  to: "2.1.000",
  tempo: [],
  meter: [],
  markers: texts.map((text) => ({ position: "1.1.000", clock: "0:00.000", text })),
  files: texts.map((title) => ({
    name: title,
    title,
    role: "stem",
    sources: [title, title],
    isReturn: false,
    tap: { kind: "path", sources: ["a"], at: "group", returns: false, linked: false },
    format: "wav",
    fold: null,
    channels: 1,
    rate: 48000,
    frames: 0,
    bytes: 0,
    sha256: "",
    measures: {
      frames: 0,
      peakDb: null,
      truePeakDb: null,
      lufs: null,
      rangeLu: null,
      firstSound: null,
      lastSound: null,
      endDb: null,
      clippedRuns: 0,
      mono: true,
    },
    overview: new Uint8Array(0),
  })),
});

/** The first cell of the third row from below of the first table, whatever its namespace. */
const PATH = "string((//*[local-name()='table'])[1]/*[local-name()='tbody']/*[last()-2]/*[1])";

test("the sheet is well-formed whatever the names are, and says them", () => {
  let n = 0;
  const names = fc.array(fc.string({ unit: "binary", minLength: 1, maxLength: 40 }), { minLength: 1, maxLength: 8 });
  fc.assert(
    fc.property(names, (texts) => {
      const path = join(folder, `${n++}.html`);
      writeFileSync(path, sheetPage(factsOf([...texts, "]]>", "<b>", "a & b", "\u0000\u001b", "\ud800"])));
      const said = execFileSync("xmllint", ["--xpath", PATH, path], { encoding: "utf8" });
      expect(said.startsWith("a & b")).toBe(true);
    }),
    { numRuns: 60, seed: 9 },
  );
});
