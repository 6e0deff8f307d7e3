import { expect, test } from "vitest";
import { presetFor } from "../../core/instruments/presets";
import { placeOf, presetsFound } from "./presets";

const presets = [
  { name: "Brush kit", bank: 128, program: 40 },
  { name: "Grand", bank: 0, program: 0 },
  { name: "Wide grand", bank: 8, program: 0 },
  { name: "Kit", bank: 128, program: 0 },
  { name: "Reed", bank: 0, program: 65 },
];
const file = { id: "f", name: "Lamp Room", fileName: "lamp.sf2", bytes: 1, presets, madeAt: "" };
const names = (search: string) => presetsFound(file, search).map((p) => p.name);

test("presets are in the order of their numbers, drums last, and are found by every word", () => {
  expect(names("")).toEqual(["Grand", "Reed", "Wide grand", "Kit", "Brush kit"]);
  expect(names("grand")).toEqual(["Grand", "Wide grand"]);
  expect(names("bank 8 GRAND")).toEqual(["Wide grand"]);
  expect(names("drums")).toEqual(["Kit", "Brush kit"]);
  expect(names("lamp reed")).toEqual(["Reed"]);
  expect(presetsFound(file, "reed")[0]?.at).toBe(4);
  expect(presets.map(placeOf)).toContain("drums, 40");
});

test("a program gets the preset of its bank, else that of the first; drums the standard kit; else none", () => {
  expect(presetFor(presets, { bank: 8, program: 0 })).toBe(2);
  expect(presetFor(presets, { bank: 5, program: 65 })).toBe(4);
  expect(presetFor(presets, { bank: 128, program: 40 })).toBe(0);
  expect(presetFor(presets, { bank: 128, program: 9 })).toBe(3);
  expect(presetFor(presets, { bank: 0, program: 7 })).toBeNull();
});
