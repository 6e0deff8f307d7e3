import { expect, test } from "vitest";
import { ACTIONS } from "./registry";

const doubled = (values: readonly string[]) => values.filter((v, i) => values.indexOf(v) !== i);

test("every action has an id and a key of its own, over all lists", () => {
  expect(ACTIONS.length).toBeGreaterThan(80);
  expect(doubled(ACTIONS.map((a) => a.id))).toEqual([]);
  expect(doubled(ACTIONS.flatMap((a) => a.key ?? []))).toEqual([]);
  // Recipes have these.
  expect(ACTIONS.filter((a) => /^Alt\+\d$/.test(a.key ?? ""))).toEqual([]);
});
