import { refill, stemRows } from "../../core/delivery/sheet";
import { commitStep, unfreezeStep } from "../../core/printing/freeze";
import { moveSession } from "../../core/session/move-session";
import { sayFirstProblem } from "../../core/words/problems";
import { sayRefusals } from "../../core/words/refusals";
import { sortSelection } from "../session/selection";
import { trackName } from "../session/track-state";
import { actionsOn, type ActionContext } from "./action";

const ids = (tracks: readonly { readonly id: string }[]) => tracks.map((t) => t.id);

function stateOf({ session, warn }: ActionContext) {
  const now = session.getState();
  return {
    ...sortSelection(now.session, now.selected),
    now,
    warn,
    nothing: now.selected.length === 0 ? "Select tracks first" : null,
    order: ids(now.session.tracks),
  };
}
type State = ReturnType<typeof stateOf>;

/** Selects the track `by` rows below the one that was selected last. */
function walk({ now, order }: State, by: number, extends_: boolean): void {
  const at = order.indexOf(now.selected.at(-1) ?? "");
  const next = order[at < 0 ? 0 : Math.max(0, Math.min(order.length - 1, at + by))];
  if (next !== undefined)
    now.select(extends_ ? [...new Set([...now.selected.filter((i) => i !== next), next])] : [next]);
}

function moveAll({ now, warn }: State, bars: number): void {
  const made = moveSession(now.session, bars);
  if (made.ok) now.edit(bars > 0 ? "Move everything a bar later" : "Move everything a bar earlier", made.value);
  else warn(`It cannot be moved earlier: ${sayFirstProblem(made.problems)}`);
}

function commit({ now, fresh, warn }: State): void {
  const made = commitStep(now.session, ids(fresh), () => crypto.randomUUID());
  if (!made.ok) return warn(sayRefusals(made.refusals, "\n"));
  now.take(made.value);
  now.select(
    made.value.edits.flatMap((e) =>
      e.do === "add" && e.in === "tracks" && typeof e.item["id"] === "string" ? [e.item["id"]] : [],
    ),
  );
}

/** Everything that can be done to the session itself. */
export const sessionActions = actionsOn(stateOf, [
  {
    id: "freeze",
    group: "Print",
    label: "Freeze tracks",
    key: "F",
    blocked: ({ nothing, toFreeze }) => nothing ?? (toFreeze.length === 0 ? "Nothing selected can be frozen" : null),
    run: ({ now, toFreeze }) => void now.freeze(ids(toFreeze)),
  },
  {
    id: "unfreeze",
    group: "Print",
    label: "Unfreeze tracks",
    key: "Shift+F",
    blocked: ({ nothing, frozen }) => nothing ?? (frozen.length === 0 ? "Nothing selected is frozen" : null),
    run: ({ now, frozen }) => now.take(unfreezeStep(now.session, ids(frozen))),
  },
  {
    id: "commit",
    group: "Print",
    label: "Commit frozen tracks",
    key: "Shift+C",
    blocked: ({ nothing, fresh }) => nothing ?? (fresh.length === 0 ? "Freeze the tracks first" : null),
    run: commit,
  },
  {
    id: "unpark",
    group: "Print",
    label: "Unpark tracks",
    key: null,
    blocked: ({ nothing, parked }) => nothing ?? (parked.length === 0 ? "Nothing selected is parked" : null),
    run: ({ now, parked }) =>
      now.edit(
        `Unpark ${parked.map(trackName).join(", ")}`,
        parked.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { parked: false, hidden: false } })),
      ),
  },
  {
    id: "mute",
    group: "Tracks",
    label: "Mute / unmute tracks",
    key: "M",
    blocked: ({ nothing }) => nothing,
    run: ({ now, tracks }) => {
      const mute = tracks.some((t) => !t.mute);
      now.edit(
        `${mute ? "Mute" : "Unmute"} ${tracks.map(trackName).join(", ")}`,
        tracks.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { mute } })),
      );
    },
  },
  {
    id: "select-all",
    group: "Tracks",
    label: "Select every track that can be frozen",
    key: "Ctrl+A",
    run: ({ now, order }) => now.select(ids(sortSelection(now.session, order).toFreeze)),
  },
  {
    id: "select-none",
    group: "Tracks",
    label: "Select nothing",
    key: "Escape",
    run: ({ now }) => now.select([]),
  },
  {
    id: "down",
    group: "Tracks",
    label: "Select the next track",
    key: "ArrowDown",
    run: (s) => walk(s, 1, false),
  },
  {
    id: "up",
    group: "Tracks",
    label: "Select the track before",
    key: "ArrowUp",
    run: (s) => walk(s, -1, false),
  },
  {
    id: "extend-down",
    group: "Tracks",
    label: "Add the next track to the selection",
    key: "Shift+ArrowDown",
    run: (s) => walk(s, 1, true),
  },
  {
    id: "extend-up",
    group: "Tracks",
    label: "Add the track before to the selection",
    key: "Shift+ArrowUp",
    run: (s) => walk(s, -1, true),
  },
  {
    id: "session-later",
    group: "Session",
    label: "Move everything a bar later, with markers, automation and tempo",
    key: "Ctrl+Shift+ArrowRight",
    run: (s) => moveAll(s, 1),
  },
  {
    id: "session-earlier",
    group: "Session",
    label: "Move everything a bar earlier",
    key: "Ctrl+Shift+ArrowLeft",
    run: (s) => moveAll(s, -1),
  },
  {
    id: "undo",
    group: "Session",
    label: "Undo",
    labelNow: ({ now }) => (now.undo === null ? "Undo" : `Undo: ${now.undo}`),
    key: "Ctrl+Z",
    blocked: ({ now }) => (now.undo === null ? "There is nothing to undo" : null),
    run: ({ now }) => void now.travel("undo"),
  },
  {
    id: "redo",
    group: "Session",
    label: "Redo",
    labelNow: ({ now }) => (now.redo === null ? "Redo" : `Redo: ${now.redo}`),
    key: "Ctrl+Shift+Z",
    blocked: ({ now }) => (now.redo === null ? "There is nothing to redo" : null),
    run: ({ now }) => void now.travel("redo"),
  },
  {
    id: "export",
    group: "Stems",
    label: "Export the stem sheet",
    key: "Shift+E",
    blocked: ({ now }) => (stemRows(now.session).length === 0 ? "No track of the session sounds" : null),
    run: ({ now }) => void now.exportStems(),
  },
  {
    id: "refill",
    group: "Stems",
    label: "Fill the stem sheet again",
    key: null,
    blocked: ({ now }) => (refill(now.session) ? null : "It fills itself already"),
    run: ({ now }) => {
      const again = refill(now.session);
      if (again) now.take(again);
    },
  },
]);
