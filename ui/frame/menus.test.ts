import { expect, test } from "vitest";
import { MENUS, MOST_ENTRIES, WITHOUT_MENU, isSubmenu, wayTo } from "./menus";
import { ACTIONS } from "./registry";
import { SYNONYMS } from "./synonyms";

test("every entry of a context menu is an action, none stands twice in a menu, and no menu has more than nine", () => {
  const known = new Set(ACTIONS.map((a) => a.id));
  for (const [kind, entries] of Object.entries(MENUS)) {
    const ids = entries.flatMap((e) => (isSubmenu(e) ? e.of : [e]));
    expect([kind, ids.filter((id) => !known.has(id))]).toEqual([kind, []]);
    expect(new Set(ids).size, kind).toBe(ids.length);
    expect(entries.length, kind).toBeLessThanOrEqual(MOST_ENTRIES);
  }
});

test("synonyms belong to actions that there are, and repeat no word of their label alone", () => {
  const labels = new Map(ACTIONS.map((a) => [a.id, a.label.toLowerCase()]));
  for (const [id, words] of Object.entries(SYNONYMS)) {
    expect([id, labels.has(id)]).toEqual([id, true]);
    expect([id, words.filter((w) => w === labels.get(id))]).toEqual([id, []]);
  }
});

test("every action is reached without a key: in a menu two presses away, or by a button that is always seen", () => {
  for (const { id } of ACTIONS) expect([id, wayTo(id) !== null || WITHOUT_MENU.has(id)]).toEqual([id, true]);
  for (const id of WITHOUT_MENU) expect([id, wayTo(id)]).toEqual([id, null]);
});
