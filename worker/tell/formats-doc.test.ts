import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import type { Carries } from "../../core/timeline/carries";
import { sessionKinds } from "../../core/interchange/kinds";

const kinds = (["aaf", "adl", "otio", "dawproject", "midi"] as const).map((k) => sessionKinds[k]);

/** Rows of the table whose words follow from what a kind carries alone. */
const rows: Readonly<Record<string, (c: Carries) => boolean>> = {
  "clips, offsets, lengths": (c) => c.audio,
  "clip gain": (c) => c.clipGain,
  "straight fades": (c) => c.fades.includes("linear"),
  fader: (c) => c.fader,
  pan: (c) => c.pan,
  "automation of fader and pan": (c) => c.lanes.includes("fader") && c.lanes.includes("pan"),
  "sends, groups, returns": (c) => c.sends && c.routing,
  meter: (c) => c.meter,
  markers: (c) => c.markers,
  "start of the day": (c) => c.startTime,
};

test("docs/formats.md says of every kind what it carries", () => {
  const text = readFileSync(join(import.meta.dirname, "../../docs/formats.md"), "utf8");
  const table = new Map(
    text
      .split("\n")
      .filter((line) => line.startsWith("| "))
      .map((line) => {
        const [name = "", ...cells] = line
          .split("|")
          .slice(1, -1)
          .map((cell) => cell.trim());
        return [name, cells] as const;
      }),
  );
  expect(table.get("")).toEqual(kinds.map((k) => k.name));
  for (const [name, carries] of Object.entries(rows))
    expect([name, table.get(name)]).toEqual([name, kinds.map((k) => (carries(k.carries!) ? "kept" : "left out"))]);
});
