import { describe, expect, test, vi } from "vitest";
import type { SessionStore } from "../session/session-store";
import { session } from "../testing/bench-session";
import type { ActionContext } from "./action";
import { keyOf, perform } from "./action";
import { sessionActions } from "./session-actions";

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
  const context = (state: Partial<SessionStore>, tell = vi.fn()) =>
    ({
      session: { getState: () => ({ session, selected: [], undo: null, redo: null, jobs: {}, ...state }) },
      tell,
    }) as unknown as ActionContext;
  const action = (id: string) => sessionActions.find((a) => a.id === id)!;

  test("nothing selected blocks what needs tracks, and says what to do; undo says what it would take back", () => {
    const tell = vi.fn();
    const now = context({ undo: "Move a clip" }, tell);
    expect(action("freeze").blocked(now)).toBe("Select tracks first");
    perform(action("freeze"), now);
    expect(tell).toHaveBeenCalledWith("Select tracks first");
    expect([action("undo").labelNow(now), action("undo").blocked(now)]).toEqual(["Undo: Move a clip", null]);
    expect(action("redo").blocked(now)).not.toBeNull();
  });

  test("freezing takes what can be frozen of a selection and leaves groups alone", () => {
    const freeze = vi.fn(() => Promise.resolve());
    const now = context({ selected: ["a", "i", "g", "mix"], freeze });
    expect(action("freeze").blocked(now)).toBeNull();
    perform(action("freeze"), now);
    expect(freeze).toHaveBeenCalledWith(["a", "i"]);
    expect(action("freeze").blocked(context({ selected: ["g"] }))).not.toBeNull();
  });
});
