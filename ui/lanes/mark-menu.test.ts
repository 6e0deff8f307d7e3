import { expect, test } from "vitest";
import type { Edit } from "../../core/session/edits";
import { applyStep } from "../../core/session/edits";
import { session } from "../testing/bench-session";
import { markerEntries, rangeEntries } from "./mark-menu";

const marked = {
  ...session,
  markers: [{ id: "m", name: "Bells", tick: 960 }],
  ranges: [{ id: "r", name: "Verse", from: 0, to: 3840 }],
};

test("each entry of a marker and of a saved range does what it says", () => {
  let now = marked;
  const seen: unknown[] = [];
  const hands = {
    edit: (label: string, edits: readonly Edit[]) => {
      const made = applyStep(marked, { label, edits: [...edits] });
      if (!made.ok) throw new Error(JSON.stringify(made.problems));
      now = made.value.session as typeof marked;
    },
    seek: (frame: number) => seen.push(["seek", frame]),
    loop: (span: object) => seen.push(["loop", span]),
    select: (range: { readonly tracks: readonly string[] }) => seen.push(["select", range.tracks.length]),
  };
  const span = { from: 0, to: 96_000 };
  for (const { run } of markerEntries(marked.markers[0]!, 24_000, hands)) run?.();
  expect([seen.splice(0), now.markers]).toEqual([[["seek", 24_000]], []]);
  const [go, loop, select, range, remove] = rangeEntries(marked, marked.ranges[0]!, span, hands);
  for (const entry of [go, loop, select]) entry?.run?.();
  const paths = session.tracks.filter((t) => t.kind !== "mix").length;
  expect(seen).toEqual([
    ["seek", 0],
    ["loop", span],
    ["select", paths],
  ]);
  range?.run?.();
  expect([now.sheet.from, now.sheet.to]).toEqual([null, 3840]);
  remove?.run?.();
  expect(now.ranges).toEqual([]);
});
