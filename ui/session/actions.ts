import { commitStep, unfreezeStep } from "../../core/printing/freeze";
import type { Session } from "../../core/session/document";
import { refill, stemRows } from "../../core/delivery/sheet";
import { moveSession } from "../../core/session/move-session";
import type { SessionStore, SessionStoreApi } from "./store";
import { trackName, trackStates } from "./track-state";
import { sayRefusals } from "../../core/words/refusals";

/** One thing that can be done: in the palette, by key, and behind a button, all from this one place. */
export interface Action {
  readonly id: string;
  readonly group: string;
  readonly label: string;
  /** As shown and as pressed: `Ctrl+Z`, `F`, `1`. */
  readonly key: string | null;
  /** Why it cannot be done now, or null. */
  readonly blocked: string | null;
  readonly run: () => void;
}

/** Tracks of a selection by what can be done with them. */
export function sortSelection(session: Session, selected: readonly string[]) {
  const states = trackStates(session);
  const tracks = session.tracks.filter((t) => selected.includes(t.id));
  const sources = tracks.filter(
    (t) => (t.kind === "audio" || t.kind === "instrument") && !t.parked && t.clips.length > 0,
  );
  return {
    tracks,
    toFreeze: sources.filter(
      (t) => states.get(t.id) === "live" || states.get(t.id) === "printed" || states.get(t.id) === "stale",
    ),
    frozen: sources.filter((t) => t.frozen !== null),
    fresh: sources.filter((t) => states.get(t.id) === "frozen"),
    parked: tracks.filter((t) => t.parked),
  };
}

const ids = (tracks: readonly { readonly id: string }[]) => tracks.map((t) => t.id);

/** Everything that can be done to the session itself. */
export function sessionActions(store: SessionStoreApi, problem: (text: string) => void): readonly Action[] {
  const s: SessionStore = store.getState();
  const { toFreeze, frozen, fresh, parked, tracks } = sortSelection(s.session, s.selected);
  const nothing = s.selected.length === 0 ? "Select tracks first" : null;
  const order = s.session.tracks.map((t) => t.id);
  const again = refill(s.session);
  const step = (by: number, extend: boolean) => {
    const at = order.indexOf(s.selected.at(-1) ?? "");
    const next = order[at < 0 ? 0 : Math.max(0, Math.min(order.length - 1, at + by))];
    if (next !== undefined) s.select(extend ? [...new Set([...s.selected.filter((i) => i !== next), next])] : [next]);
  };
  const moveAll = (bars: number) => {
    const made = moveSession(s.session, bars);
    if (made.ok) s.edit(bars > 0 ? "Move everything a bar later" : "Move everything a bar earlier", made.value);
    else problem(`It cannot be moved earlier: ${made.problems[0]?.what ?? "there is no room"}.`);
  };
  return [
    {
      id: "freeze",
      group: "Print",
      label: "Freeze the selected tracks",
      key: "F",
      blocked: nothing ?? (toFreeze.length === 0 ? "Nothing selected can be frozen" : null),
      run: () => void s.freeze(ids(toFreeze)),
    },
    {
      id: "unfreeze",
      group: "Print",
      label: "Unfreeze the selected tracks",
      key: "Shift+F",
      blocked: nothing ?? (frozen.length === 0 ? "Nothing selected is frozen" : null),
      run: () => s.take(unfreezeStep(s.session, ids(frozen))),
    },
    {
      id: "commit",
      group: "Print",
      label: "Commit the selected frozen tracks",
      key: "Shift+C",
      blocked: nothing ?? (fresh.length === 0 ? "None is frozen and fresh" : null),
      run: () => {
        const made = commitStep(s.session, ids(fresh), () => crypto.randomUUID());
        if (made.ok) {
          s.take(made.value);
          s.select(
            made.value.edits.flatMap((e) =>
              e.do === "add" && e.in === "tracks" && typeof e.item["id"] === "string" ? [e.item["id"]] : [],
            ),
          );
        } else problem(sayRefusals(made.refusals, "\n"));
      },
    },
    {
      id: "unpark",
      group: "Print",
      label: "Unpark the selected tracks",
      key: null,
      blocked: nothing ?? (parked.length === 0 ? "Nothing selected is parked" : null),
      run: () =>
        s.edit(
          `Unpark ${parked.map(trackName).join(", ")}`,
          parked.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { parked: false, hidden: false } })),
        ),
    },
    {
      id: "mute",
      group: "Tracks",
      label: "Mute or open the selected tracks",
      key: "M",
      blocked: nothing,
      run: () => {
        const mute = tracks.some((t) => !t.mute);
        s.edit(
          `${mute ? "Mute" : "Open"} ${tracks.map(trackName).join(", ")}`,
          tracks.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { mute } })),
        );
      },
    },
    {
      id: "select-all",
      group: "Tracks",
      label: "Select every track that can be frozen",
      key: "Ctrl+A",
      blocked: null,
      run: () => s.select(ids(sortSelection(s.session, order).toFreeze)),
    },
    {
      id: "select-none",
      group: "Tracks",
      label: "Select nothing",
      key: "Escape",
      blocked: null,
      run: () => s.select([]),
    },
    {
      id: "down",
      group: "Tracks",
      label: "Select the next track",
      key: "ArrowDown",
      blocked: null,
      run: () => step(1, false),
    },
    {
      id: "up",
      group: "Tracks",
      label: "Select the track before",
      key: "ArrowUp",
      blocked: null,
      run: () => step(-1, false),
    },
    {
      id: "extend-down",
      group: "Tracks",
      label: "Add the next track to the selection",
      key: "Shift+ArrowDown",
      blocked: null,
      run: () => step(1, true),
    },
    {
      id: "extend-up",
      group: "Tracks",
      label: "Add the track before to the selection",
      key: "Shift+ArrowUp",
      blocked: null,
      run: () => step(-1, true),
    },
    {
      id: "session-later",
      group: "Session",
      label: "Move everything a bar later, with markers, automation and tempo",
      key: "Ctrl+Shift+ArrowRight",
      blocked: null,
      run: () => moveAll(1),
    },
    {
      id: "session-earlier",
      group: "Session",
      label: "Move everything a bar earlier",
      key: "Ctrl+Shift+ArrowLeft",
      blocked: null,
      run: () => moveAll(-1),
    },
    {
      id: "undo",
      group: "Session",
      label: s.undo === null ? "Undo" : `Undo: ${s.undo}`,
      key: "Ctrl+Z",
      blocked: s.undo === null ? "There is nothing to undo" : null,
      run: () => void s.travel("undo"),
    },
    {
      id: "redo",
      group: "Session",
      label: s.redo === null ? "Redo" : `Redo: ${s.redo}`,
      key: "Ctrl+Shift+Z",
      blocked: s.redo === null ? "There is nothing to redo" : null,
      run: () => void s.travel("redo"),
    },
    {
      id: "export",
      group: "Stems",
      label: "Export the stem sheet",
      key: "Shift+E",
      blocked: stemRows(s.session).length === 0 ? "No track of the session sounds" : null,
      run: () => void s.exportStems(),
    },
    {
      id: "refill",
      group: "Stems",
      label: "Fill the stem sheet again",
      key: null,
      blocked: again ? null : "It fills itself already",
      run: () => {
        if (again) s.take(again);
      },
    },
  ];
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
