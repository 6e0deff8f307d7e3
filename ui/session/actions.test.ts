import { describe, expect, test, vi } from "vitest";
import { session } from "../testing/bench-session";
import { keyOf, sessionActions } from "./actions";
import type { SessionStore, SessionStoreApi } from "./store";

test("keys are named as they are shown", () => {
  const press = (key: string, more: Partial<KeyboardEvent> = {}) =>
    keyOf({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect([
    press("f"),
    press("F", { shiftKey: true }),
    press("z", { ctrlKey: true }),
    press("?", { shiftKey: true }),
    press("ArrowLeft", { altKey: true }),
    press("¡", { altKey: true, code: "Digit1" }),
    press("Z", { metaKey: true, shiftKey: true }),
  ]).toEqual(["F", "Shift+F", "Ctrl+Z", "?", "Alt+ArrowLeft", "Alt+1", "Ctrl+Shift+Z"]);
});

describe("what can be done with a selection", () => {
  const store = (state: Partial<SessionStore>) =>
    ({
      getState: () => ({ session, selected: [], undo: null, redo: null, jobs: {}, ...state }),
    }) as unknown as SessionStoreApi;
  const actions = (state: Partial<SessionStore>, problem = vi.fn()) =>
    new Map(sessionActions(store(state), problem).map((a) => [a.id, a]));

  test("nothing selected blocks what needs tracks, and says what to do; undo says what it would take back", () => {
    const all = actions({ undo: "Move a clip" });
    expect(all.get("freeze")!.blocked).toBe("Select tracks first");
    expect([...all.values()].find((a) => a.key === "Ctrl+Z")).toMatchObject({
      label: "Undo: Move a clip",
      blocked: null,
    });
    expect([...all.values()].find((a) => a.key === "Ctrl+Shift+Z")!.blocked).not.toBeNull();
  });

  test("freezing takes what can be frozen of a selection and leaves groups alone", () => {
    const freeze = vi.fn(() => Promise.resolve());
    const all = actions({ selected: ["a", "i", "g", "mix"], freeze });
    expect(all.get("freeze")!.blocked).toBeNull();
    all.get("freeze")!.run();
    expect(freeze).toHaveBeenCalledWith(["a", "i"]);
    expect(actions({ selected: ["g"] }).get("freeze")!.blocked).not.toBeNull();
  });

  test("every key stands for one action", () => {
    const keys = [...actions({}).values()].flatMap((a) => a.key ?? []);
    expect(new Set(keys).size).toBe(keys.length);
  });
});
