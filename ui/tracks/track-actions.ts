import type { Edit } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import type { NewKind } from "../../core/session/track-edits";
import { addTrack, duplicateTrack, groupTracks, removeTracks } from "../../core/session/track-edits";
import type { Action } from "../session/actions";
import type { SessionStoreApi } from "../session/store";
import { trackName } from "../session/track-state";
import { useHidden } from "../timeline/shown";
import { sayFirstProblem } from "../../core/words/problems";

const newId = () => crypto.randomUUID();

const KINDS: readonly { readonly kind: NewKind; readonly label: string }[] = [
  { kind: "audio", label: "Add an audio track" },
  { kind: "instrument", label: "Add an instrument track" },
  { kind: "group", label: "Add a group" },
  { kind: "return", label: "Add a return" },
];

/** What can be done to tracks as a whole: they come, go, are copied, grouped and put in another order. */
export function trackActions(store: SessionStoreApi, problem: (text: string) => void): readonly Action[] {
  const { session, selected, edit, select } = store.getState();
  const tracks = session.tracks.filter((t) => selected.includes(t.id));
  const some = tracks.filter((t) => t.kind !== "mix");
  const names = some.map(trackName).join(", ");
  const last = some.at(-1);
  const blocked = some.length > 0 ? null : tracks.length > 0 ? "The mix stays where it is" : "Select tracks first";
  const make = (label: string, made: Checked<{ readonly id: string; readonly edits: readonly Edit[] }>) => {
    if (!made.ok) return problem(sayFirstProblem(made.problems));
    if (edit(label, made.value.edits)) select([made.value.id]);
  };
  const shift = (by: number) => {
    const order = session.tracks.map((t) => t.id);
    const moving = by < 0 ? some : some.toReversed();
    const edits: Edit[] = [];
    for (const track of moving) {
      const to = order.indexOf(track.id) + by;
      if (to < 0 || to >= order.length - 1) return;
      edits.push({ do: "move", in: "tracks", id: track.id, index: to });
    }
    if (edits.length > 0) edit(`Move ${names}`, edits);
  };
  return [
    ...KINDS.map(({ kind, label }): Action => ({
      id: `add-${kind}`,
      group: "Tracks",
      label,
      key: null,
      blocked: null,
      run: () => make(label, { ok: true, value: addTrack(session, kind, last?.id ?? null, newId) }),
    })),
    {
      id: "track-duplicate",
      group: "Tracks",
      label: "Duplicate the selected track",
      key: "Ctrl+Shift+D",
      blocked,
      run: () => last && make(`Duplicate ${trackName(last)}`, duplicateTrack(session, last.id, newId)),
    },
    {
      id: "track-group",
      group: "Tracks",
      label: "Put the selected tracks into a new group",
      key: "Ctrl+G",
      blocked,
      run: () => make(`Group ${names}`, groupTracks(session, selected, newId)),
    },
    {
      id: "track-remove",
      group: "Tracks",
      label: "Remove the selected tracks",
      key: "Shift+Delete",
      blocked,
      run: () => {
        const made = removeTracks(
          session,
          some.map((t) => t.id),
        );
        if (made.ok) edit(`Remove ${names}`, made.value);
      },
    },
    {
      id: "track-up",
      group: "Tracks",
      label: "Move the selected tracks up",
      key: "Ctrl+ArrowUp",
      blocked,
      run: () => shift(-1),
    },
    {
      id: "track-down",
      group: "Tracks",
      label: "Move the selected tracks down",
      key: "Ctrl+ArrowDown",
      blocked,
      run: () => shift(1),
    },
    {
      id: "hide",
      group: "Print",
      label: "Put the selected tracks out of sight, parked",
      key: null,
      blocked,
      run: () => {
        if (
          edit(
            `Hide ${names}`,
            some.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { parked: true, hidden: true } })),
          )
        )
          select([]);
      },
    },
    {
      id: "hidden",
      group: "View",
      label: useHidden.getState().shown ? "Leave hidden tracks out of sight" : "Show hidden tracks",
      key: null,
      blocked: session.tracks.some((t) => t.hidden) ? null : "No track is hidden",
      run: () => useHidden.getState().toggle(),
    },
    {
      id: "park",
      group: "Print",
      label: "Park the selected tracks",
      key: null,
      blocked: blocked ?? (some.every((t) => t.parked) ? "They are parked" : null),
      run: () =>
        edit(
          `Park ${names}`,
          some.filter((t) => !t.parked).map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { parked: true } })),
        ),
    },
  ];
}
