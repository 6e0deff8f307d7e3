import { expect, test } from "vitest";
import { matchScore } from "./match";
import { ACTIONS } from "./registry";
import { SYNONYMS } from "./synonyms";

const found = (search: string) =>
  ACTIONS.map((a) => ({ id: a.id, score: matchScore(search, a.label, SYNONYMS[a.id] ?? [], a.group) }))
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score)
    .map(({ id }) => id);

test("the trade's words lead to the action, and letters that only happen to follow each other to none", () => {
  expect(found("bounce")[0]).toBe("print-mix");
  expect(found("glue")).toEqual(["consolidate"]);
  expect(found("hear only")).toEqual(["solo"]);
  expect(found("crossfade")[0]).toBe("clip-crossfade");
  expect(found("split")).toEqual(expect.arrayContaining(["clip-cut-here", "range-cut"]));
  expect(found("loop the")[0]).toBe("loop");
  expect(found("qzx")).toEqual([]);
});

test("every action is found by its own label, first or behind one that begins the same", () => {
  for (const a of ACTIONS) expect(found(a.label).slice(0, 2), a.label).toContain(a.id);
});
