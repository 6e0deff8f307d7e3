import { expect, test } from "vitest";
import { makeTrack } from "../../core/session/build";
import { presetPlaces } from "./preset-places";

const presets = ["Grand", "Wide grand", "Reed"].map((name, program) => ({ name, bank: 0, program }));
const files = [{ id: "f", name: "Lamp Room", fileName: "lamp.sf2", bytes: 1, presets, madeAt: "" }];
const keys = makeTrack({ id: "keys", name: "Keys", kind: "instrument" });
const session = {
  tracks: [keys, { ...keys, id: "cold", frozen: { asset: "0".repeat(64), fingerprint: "0".repeat(64) } }],
};

test("presets are found for the selected track, or for a new one where that takes none", () => {
  const found = (selected: string | undefined, search: string) =>
    presetPlaces(files, session, selected, search).map((p) => [p.label, p.track, p.preset]);
  expect(found("keys", "grand")).toEqual([
    ["Put Grand on Keys", "keys", 0],
    ["Put Wide grand on Keys", "keys", 1],
  ]);
  for (const other of [undefined, "cold", "gone"])
    expect(found(other, "reed lamp")).toEqual([["Add Reed on a new track", null, 2]]);
  for (const nothing of ["", " r ", "organ"]) expect(found("keys", nothing)).toEqual([]);
});
