import { expect, test } from "vitest";
import { keyOf } from "./actions";

test("keys are named as they are shown", () => {
  const press = (key: string, more: Partial<KeyboardEvent> = {}) =>
    keyOf({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more } as KeyboardEvent);
  expect([
    press("f"),
    press("F", { shiftKey: true }),
    press("z", { ctrlKey: true }),
    press("?", { shiftKey: true }),
    press("ArrowLeft", { altKey: true }),
    press("Z", { metaKey: true, shiftKey: true }),
  ]).toEqual(["F", "Shift+F", "Ctrl+Z", "?", "Alt+ArrowLeft", "Ctrl+Shift+Z"]);
});
