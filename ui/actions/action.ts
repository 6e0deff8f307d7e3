import type { PlaybackStoreApi } from "../playback/store";
import type { SessionStoreApi } from "../session/store";

/** What actions work with. */
export interface ActionContext {
  readonly session: SessionStoreApi;
  readonly playback: PlaybackStoreApi;
  /** Opens a page by its path. */
  readonly open: (path: string) => void;
  /** Tells the person why something was not done. */
  readonly warn: (text: string) => void;
  /** Tells the person what was done. */
  readonly tell: (text: string) => void;
}

/** One thing that can be done: in the palette, by key, and behind a button, all from this one place. */
export interface Action {
  readonly id: string;
  readonly group: string;
  readonly label: string;
  /** As shown and as pressed: `Ctrl+Z`, `F`, `1`. */
  readonly key: string | null;
  /** The label where it depends on what is there, such as what Undo takes back. */
  readonly labelNow: (context: ActionContext) => string;
  /** Why it cannot be done now, or null. */
  readonly blocked: (context: ActionContext) => string | null;
  readonly run: (context: ActionContext) => void;
}

/** An action as it is written down: its questions are asked of a state that actions of a kind share. */
export interface ActionSpec<S> {
  readonly id: string;
  readonly group: string;
  readonly label: string;
  readonly key: string | null;
  /** Default: the label. */
  readonly labelNow?: (state: S) => string;
  /** Default: it can always be done. */
  readonly blocked?: (state: S) => string | null;
  readonly run: (state: S) => void;
}

/** Actions that share a state, which is made anew whenever one is asked or run. */
export const actionsOn = <S>(
  stateOf: (context: ActionContext) => S,
  specs: readonly ActionSpec<S>[],
): readonly Action[] =>
  specs.map(({ labelNow, blocked, run, ...spec }) => ({
    ...spec,
    labelNow: (context) => labelNow?.(stateOf(context)) ?? spec.label,
    blocked: (context) => blocked?.(stateOf(context)) ?? null,
    run: (context) => run(stateOf(context)),
  }));

/** Does an action if it can be done; else tells why not. */
export function perform(action: Action, context: ActionContext): void {
  const why = action.blocked(context);
  if (why === null) action.run(context);
  else context.tell(why);
}

/** A key as it is shown. */
export const keyText = (key: string): string => key.replace("Arrow", "").replace("Escape", "Esc");

/** The key of an event in the words of `Action.key`. */
export function keyOf(event: KeyboardEvent): string {
  // With Alt, some keyboards write another character than the digit on the key.
  const digit = event.altKey ? /^Digit(\d)$/.exec(event.code)?.[1] : undefined;
  const name = digit ?? (event.key === " " ? "Space" : event.key.length === 1 ? event.key.toUpperCase() : event.key);
  const shifted = event.shiftKey && (event.key.length > 1 || /[a-z]/i.test(event.key));
  return `${event.ctrlKey || event.metaKey ? "Ctrl+" : ""}${event.altKey ? "Alt+" : ""}${shifted ? "Shift+" : ""}${name}`;
}
