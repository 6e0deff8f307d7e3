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
  pan: (c) => c.pan.length > 0,
  "sends, groups, returns": (c) => c.sends && c.routing,
  meter: (c) => c.meter,
  markers: (c) => c.markers,
  "start of the day": (c) => c.startTime,
};

/** Automation is kept as far as its lines are told in the unit they are straight in. */
const automationOf = ({ lanes, lanesIn }: Carries): string => {
  if (!lanes.includes("fader") || !lanes.includes("pan")) return "left out";
  return lanesIn === "decibels"
    ? "kept; curves as straight lines, within 0.02 dB and 0.2 %"
    : "approximated: fader within 0.05 dB; pan kept, its curves within 0.2 %";
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
  expect(table.get("automation of fader and pan")).toEqual(kinds.map((k) => automationOf(k.carries!)));
  for (const [name, carries] of Object.entries(rows))
    expect([name, table.get(name)]).toEqual([name, kinds.map((k) => (carries(k.carries!) ? "kept" : "left out"))]);
});
