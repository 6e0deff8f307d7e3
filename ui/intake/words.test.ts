import { expect, test } from "vitest";
import { lossesText } from "./words";

const loss = (part: string, fate: string, where = "Vox", detail = "") => ({ part, fate, where, count: 1, detail });
const said = (...losses: readonly object[]) => lossesText(losses as unknown as Parameters<typeof lossesText>[0]);

test("nothing is said where all is as in the file", () => {
  expect(said()).toBeNull();
});

test("what an opened file lost is said a line each, under what became of it", () => {
  const found = said(
    loss("devices", "left out", "Vox", "Shine"),
    loss("fades", "approximated"),
    loss("solos", "left out"),
  );
  const lines = found?.description.split("\n") ?? [];
  expect(lines.filter((l) => l.endsWith(":"))).toEqual(["Left out:", "Approximated:"]);
  expect(lines.indexOf("Approximated:")).toBe(3);
  expect(lines[1]).toContain("1 device");
  expect(lines[1]).toContain("Shine");
});

test("of many lines of one fate the first five are said, and how many more there are", () => {
  const parts = ["devices", "solos", "fades", "sends", "markers", "takes", "names"];
  const found = said(...parts.map((part) => loss(part, "left out")));
  expect(found?.description.split("\n").at(-1)).toBe("and 2 more");
});
