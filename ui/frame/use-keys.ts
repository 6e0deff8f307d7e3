"use client";

import { useLayoutEffect } from "react";
import { keyOf, perform, type ActionContext } from "../actions/action";
import { actionsNow } from "./registry";

/** Where keys belong to what has the focus. */
const OWN_KEYS =
  "input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, [role=dialog], [role=listbox], [role=menu], [role=option]";

/** Runs actions by their keys, from everywhere in a session. */
export function useKeys(context: ActionContext): void {
  // Before the page is painted: what can be seen can be reached by its key.
  useLayoutEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.defaultPrevented || target.closest(OWN_KEYS)) return;
      const key = keyOf(event);
      // Space and the arrows belong to a tick box or a slider that has the focus.
      if (target.closest("input") && (key === "Space" || key.startsWith("Arrow"))) return;
      const action = actionsNow().find((a) => a.key === key);
      if (!action) return;
      event.preventDefault();
      perform(action, context);
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, [context]);
}
