import fc from "fast-check";
import { expect, test } from "vitest";
import { afterPress } from "./select-rows";

const ORDER = ["a", "b", "c", "d", "e"];
const press = (selected: readonly string[], id: string, keys: Partial<Parameters<typeof afterPress>[3]> = {}) =>
  afterPress(ORDER, selected, id, { through: false, adding: false, ...keys });

test("a press selects one row, with Ctrl it adds and takes away, with Shift it takes all between", () => {
  expect(press(["a", "b"], "d")).toEqual(["d"]);
  expect(press(["a"], "d", { adding: true })).toEqual(["a", "d"]);
  expect(press(["a", "d"], "a", { adding: true })).toEqual(["d"]);
  expect(press(["b"], "d", { through: true })).toEqual(["c", "d", "b"]);
  expect(press([], "d", { through: true })).toEqual(["d"]);
});

test("with Shift the one chosen last stays the end that the next press counts from", () => {
  const id = fc.constantFrom(...ORDER);
  fc.assert(
    fc.property(fc.subarray(ORDER, { minLength: 1 }), id, id, (selected, first, second) => {
      const once = press(selected, first, { through: true });
      expect(once.at(-1)).toBe(selected.at(-1));
      expect(new Set(once).size).toBe(once.length);
      expect(once).toContain(first);
      expect(press(once, second, { through: true })).toEqual(expect.arrayContaining([...once, second]));
    }),
  );
});
