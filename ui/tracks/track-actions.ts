import type { Edit } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import type { NewKind } from "../../core/session/track-edits";
import { addTrack, duplicateTrack, groupTracks, removeTracks } from "../../core/session/track-edits";
import { actionsOn, type ActionContext, type ActionSpec } from "../actions/action";
import { pathOf } from "../session/screens";
import { trackName } from "../session/track-state";
import { useHidden } from "../timeline/shown";
import { useRenaming } from "./renaming";
import { sayFirstProblem } from "../../core/words/problems";

const newId = () => crypto.randomUUID();

const KINDS: readonly { readonly kind: NewKind; readonly label: string }[] = [
  { kind: "audio", label: "Add an audio track" },
  { kind: "instrument", label: "Add an instrument track" },
  { kind: "group", label: "Add a group" },
  { kind: "return", label: "Add a return" },
];

function stateOf({ session, warn, open }: ActionContext) {
  const now = session.getState();
  const tracks = now.session.tracks.filter((t) => now.selected.includes(t.id));
  const some = tracks.filter((t) => t.kind !== "mix");
  return {
    ...{ now, warn, open, some },
    names: some.map(trackName).join(", "),
    last: some.at(-1),
    blocked: some.length > 0 ? null : tracks.length > 0 ? "The mix stays where it is" : "Select tracks first",
  };
}
type State = ReturnType<typeof stateOf>;

function make(
  { now, warn }: State,
  label: string,
  made: Checked<{ readonly id: string; readonly edits: readonly Edit[] }>,
): void {
  if (!made.ok) return warn(sayFirstProblem(made.problems));
  if (now.edit(label, made.value.edits)) now.select([made.value.id]);
}

/** Moves the tracks up or down by a row; nothing where one of them would leave the tracks above the mix. */
function shift({ now, some, names }: State, by: number): void {
  const order = now.session.tracks.map((t) => t.id);
  const moving = by < 0 ? some : some.toReversed();
  const edits: Edit[] = [];
  for (const track of moving) {
    const to = order.indexOf(track.id) + by;
    if (to < 0 || to >= order.length - 1) return;
    edits.push({ do: "move", in: "tracks", id: track.id, index: to });
  }
  if (edits.length > 0) now.edit(`Move ${names}`, edits);
}

const blocked = (state: State) => state.blocked;

/** What can be done to tracks as a whole: they come, go, are copied, grouped and put in another order. */
export const trackActions = actionsOn(stateOf, [
  ...KINDS.map(({ kind, label }): ActionSpec<State> => ({
    id: `add-${kind}`,
    group: "Tracks",
    label,
    key: null,
    run: (state) =>
      make(state, label, { ok: true, value: addTrack(state.now.session, kind, state.last?.id ?? null, newId) }),
  })),
  {
    id: "track-duplicate",
    group: "Tracks",
    label: "Duplicate track",
    key: "Ctrl+Shift+D",
    blocked,
    run: (state) => {
      const { last, now } = state;
      if (last) make(state, `Duplicate ${trackName(last)}`, duplicateTrack(now.session, last.id, newId));
    },
  },
  {
    id: "track-group",
    group: "Tracks",
    label: "Group tracks",
    key: "Ctrl+G",
    blocked,
    run: (state) => make(state, `Group ${state.names}`, groupTracks(state.now.session, state.now.selected, newId)),
  },
  {
    id: "track-remove",
    group: "Tracks",
    label: "Delete tracks",
    key: "Shift+Delete",
    blocked,
    run: ({ now, some, names }) => {
      const made = removeTracks(
        now.session,
        some.map((t) => t.id),
      );
      if (made.ok) now.edit(`Remove ${names}`, made.value);
    },
  },
  {
    id: "track-instrument",
    group: "Tracks",
    label: "Choose an instrument of yours",
    key: null,
    blocked: ({ last }) => (last?.kind === "instrument" ? null : "Select an instrument track first"),
    run: ({ now, open }) => open(pathOf(now.id, "/instruments")),
  },
  {
    id: "track-rename",
    group: "Tracks",
    label: "Rename track",
    key: "F2",
    blocked: ({ last }) => (last ? null : "Select a track first"),
    run: ({ last }) => useRenaming.setState({ track: last?.id ?? null }),
  },
  {
    id: "track-up",
    group: "Tracks",
    label: "Move tracks up",
    key: "Ctrl+ArrowUp",
    blocked,
    run: (state) => shift(state, -1),
  },
  {
    id: "track-down",
    group: "Tracks",
    label: "Move tracks down",
    key: "Ctrl+ArrowDown",
    blocked,
    run: (state) => shift(state, 1),
  },
  {
    id: "hide",
    group: "Print",
    label: "Hide and park tracks",
    key: null,
    blocked,
    run: ({ now, some, names }) => {
      const edits = some.map((t): Edit => ({
        ...{ do: "set", in: "tracks", id: t.id, patch: { parked: true, hidden: true } },
      }));
      if (now.edit(`Hide ${names}`, edits)) now.select([]);
    },
  },
  {
    id: "hidden",
    group: "View",
    label: "Show or hide hidden tracks",
    labelNow: () => (useHidden.getState().shown ? "Leave hidden tracks out of sight" : "Show hidden tracks"),
    key: null,
    blocked: ({ now }) => (now.session.tracks.some((t) => t.hidden) ? null : "No track is hidden"),
    run: () => useHidden.getState().toggle(),
  },
  {
    id: "park",
    group: "Print",
    label: "Park tracks",
    key: null,
    blocked: (state) => state.blocked ?? (state.some.every((t) => t.parked) ? "They are parked" : null),
    run: ({ now, some, names }) =>
      now.edit(
        `Park ${names}`,
        some.filter((t) => !t.parked).map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { parked: true } })),
      ),
  },
]);
