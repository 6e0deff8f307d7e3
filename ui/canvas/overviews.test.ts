import { expect, test } from "vitest";
import { extremes } from "./overviews";

test("an overview is read as the extremes of the asked span", () => {
  const pairs = Int8Array.of(-10, 20, -30, 5, -1, 60);
  expect(extremes(pairs, 0, 256)).toEqual([-10, 20]);
  expect(extremes(pairs, 0, 700)).toEqual([-30, 60]);
  expect(extremes(pairs, 99999, 100300)).toEqual([0, 0]);
});
