import { describe, expect, test } from "vitest";
import type { MeasuredLoad } from "../../contract/session";
import { noted } from "./load-history";

const load = (revision: number, total: number): MeasuredLoad => ({ revision, total, from: 0, frames: 1, tracks: {} });

describe("the history of a session's load", () => {
  test("says what was done between two measurements, the last first", () => {
    const one = noted([], load(3, 0.8), []);
    const two = noted(one, load(6, 0.4), ["Fader of A", "Freeze A"]);
    expect(two.map((n) => [n.load.total, n.after])).toEqual([
      [0.4, "Freeze A, and 1 more"],
      [0.8, null],
    ]);
    expect(noted(two, load(7, 0.8), ["Unfreeze A"])[0]?.after).toBe("Unfreeze A");
  });

  test("takes a second measurement of the same state in place of the first", () => {
    const history = noted(noted([], load(3, 0.8), []), load(4, 0.4), ["Freeze A"]);
    expect(noted(history, load(4, 0.41), [])).toEqual([
      { load: load(4, 0.41), after: "Freeze A" },
      { load: load(3, 0.8), after: null },
    ]);
  });

  test("forgets the oldest", () => {
    const all = Array.from({ length: 40 }, (_, i) => i).reduce(
      (h, i) => noted(h, load(i, 1), [`step ${i}`]),
      noted([], load(-1, 1), []),
    );
    expect(all.length).toBe(12);
    expect(all[0]?.after).toBe("step 39");
  });
});
