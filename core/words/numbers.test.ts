import { expect, test } from "vitest";
import { formatDb, formatNumber, roundDb } from "./numbers";

test("levels are to a tenth, with a real minus sign, below nothing as above", () => {
  expect([-3.456, 3.456, -0.04, -12.34, -144, 0].map((db) => formatDb(db))).toEqual([
    "−3.5",
    "3.5",
    "0.0",
    "−12.3",
    "−∞",
    "0.0",
  ]);
  expect(formatDb(-61, -60)).toBe("−∞");
  expect([-24.37, 24.37, -0.06].map(roundDb)).toEqual([-24.4, 24.4, -0.1]);
  expect(formatNumber(-0.001, 2)).toBe("0.00");
});
