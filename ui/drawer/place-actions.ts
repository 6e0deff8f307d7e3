import { clipSpan } from "../../core/session/clips";
import { clipsOf } from "../../core/session/move-clips";
import { emptyPhrase, writeNotes } from "../../core/session/note-edits";
import type { Edit } from "../../core/session/edits";
import { holderOf } from "../kit/kit-editor";
import { actionsOn, type ActionContext } from "../actions/action";
import type { Frames, Ticks } from "../../core/units";
import { barText, clockOf } from "../session/clock";
import { trackName } from "../session/track-state";
import { INSIDE, useDrawer } from "./drawer-store";
import { quantised } from "./note-menu";
import { useBenchSettings } from "../timeline/settings";
import { useBenchView } from "../timeline/view";

function stateOf({ session: store, playback }: ActionContext) {
  const now = store.getState();
  const { session, selected, selectedClip } = now;
  const player = playback.getState();
  const drawer = useDrawer.getState();
  return {
    ...{ store, now, player, drawer },
    clock: clockOf(session),
    /** Chosen on the lanes, or marked on the ruler. */
    range: now.selectedRange ?? player.stretch,
    inside: drawer.open === "notes" || drawer.open === "nest" || drawer.open === "bend",
    chosen: clipsOf(session, now.selectedClips),
    main: clipsOf(session, selectedClip ? [selectedClip] : [])[0],
    lastTrack: session.tracks.find((t) => t.id === (selectedClip?.track ?? selected.at(-1))),
  };
}
type State = ReturnType<typeof stateOf>;

const tickOf = ({ clock }: State, frame: Frames): Ticks => Math.round(clock.tempo.toTicks(frame));

/** Puts the playhead on the next marker, or on the one before. */
function goToMarker({ now, clock, player }: State, by: 1 | -1): void {
  const marks = [...now.session.markers].sort((a, b) => a.tick - b.tick);
  const tick = clock.tempo.toTicks(player.position());
  const to = by > 0 ? marks.find((m) => m.tick > tick + 1) : marks.findLast((m) => m.tick < tick - 1);
  if (to) player.seek(clock.tempo.toFrames(to.tick));
}

/** Zooms to the selected clip, or to the range. */
function look({ main, range, clock }: State): void {
  if (main) {
    const { from, to } = clipSpan(main.clip, clock.tempo);
    useBenchView.getState().look(from, to);
  } else if (range) useBenchView.getState().look(range.from, range.to);
}

/** Recalls a saved range: it is marked, chosen over the selected tracks, and the playhead put at its beginning. */
function recall({ now, clock, player, range: over }: State, by: 1 | -1): void {
  const { session, selected, selectRange } = now;
  const ranges = [...session.ranges].sort((a, b) => a.from - b.from);
  const at = ranges.findIndex(
    (r) => over && clock.tempo.toFrames(r.from) === over.from && clock.tempo.toFrames(r.to) === over.to,
  );
  const range = ranges[at < 0 ? (by > 0 ? 0 : ranges.length - 1) : (at + by + ranges.length) % ranges.length];
  if (!range) return;
  const [from, to] = [clock.tempo.toFrames(range.from), clock.tempo.toFrames(range.to)];
  player.mark({ from, to });
  player.seek(from);
  selectRange(selected.length > 0 ? { from, to, tracks: selected } : null);
}

function addNotes({ store, now, clock, player, drawer, lastTrack }: State): void {
  if (!lastTrack) return;
  const { bar } = clock.meter.position(clock.tempo.toTicks(player.position()));
  const start = clock.meter.barToTick(bar);
  const made = emptyPhrase(now.session, lastTrack, start, clock.meter.barToTick(bar + 1) - start, () =>
    crypto.randomUUID(),
  );
  if (!now.edit(`A new clip of notes on ${trackName(lastTrack)}`, made.edits)) return;
  store.getState().selectClip({ track: lastTrack.id, clip: made.clip });
  drawer.show("notes");
}

function addMarker(state: State): void {
  const { now, clock, player } = state;
  const { markers } = now.session;
  const frame = player.position();
  const item = { id: crypto.randomUUID(), name: `Mark ${markers.length + 1}`, tick: tickOf(state, frame) };
  now.edit(`Set a marker at ${barText(clock, frame)}`, [{ do: "add", in: "markers", item, index: markers.length }]);
}

function saveRange(state: State): void {
  const { now, range } = state;
  if (!range) return;
  const { ranges } = now.session;
  const name = `Range ${ranges.length + 1}`;
  const item = { id: crypto.randomUUID(), name, from: tickOf(state, range.from), to: tickOf(state, range.to) };
  now.edit(`Save ${name}`, [{ do: "add", in: "ranges", item, index: ranges.length }]);
}

/** Puts the notes of the selected clips on the grid, each phrase once. */
function quantise({ now, clock, chosen }: State): void {
  const { grid } = useBenchSettings.getState();
  const done = new Set<string>();
  const edits = chosen.flatMap(({ clip }): readonly Edit[] => {
    const phrase = clip.kind === "notes" && now.session.phrases.find((p) => p.id === clip.phrase);
    if (!phrase || done.has(phrase.id)) return [];
    done.add(phrase.id);
    return writeNotes(now.session, phrase, quantised({ phrase, clip, clock, grid }, phrase.notes).all);
  });
  if (edits.length > 0) now.edit("Quantise notes", edits);
}

const noMarkers = ({ now }: State) => (now.session.markers.length > 0 ? null : "There are no markers");
const noRanges = ({ now }: State) => (now.session.ranges.length > 0 ? null : "There are no saved ranges");
const toggle = ({ drawer }: State, what: "automation" | "row" | "shelf" | "kit") =>
  drawer.show(drawer.open === what ? null : what);

/** Places and ranges with names, and what opens under the lanes. */
export const placeActions = actionsOn(stateOf, [
  {
    id: "range-next",
    group: "Places",
    label: "Recall the next saved range",
    key: "X",
    blocked: noRanges,
    run: (s) => recall(s, 1),
  },
  {
    id: "range-before",
    group: "Places",
    label: "Recall the saved range before",
    key: "Shift+X",
    blocked: noRanges,
    run: (s) => recall(s, -1),
  },
  {
    id: "automation",
    group: "View",
    label: "Show automation",
    labelNow: ({ drawer }) => (drawer.open === "automation" ? "Close the automation" : "Show automation"),
    key: "A",
    run: (s) => toggle(s, "automation"),
  },
  {
    id: "notes",
    group: "View",
    label: "Open the clip",
    labelNow: ({ inside }) => (inside ? "Close what is inside the clip" : "Open the clip"),
    key: "E",
    blocked: ({ inside, main }) => (inside || main ? null : "Select a clip first"),
    run: (s) => {
      if (s.inside) return s.drawer.show(null);
      look(s);
      if (s.main) s.drawer.show(INSIDE[s.main.clip.kind]);
    },
  },
  {
    id: "notes-new",
    group: "Clips",
    label: "A new clip of notes at the playhead, on the selected track",
    key: "Ctrl+E",
    blocked: ({ lastTrack }) => (lastTrack?.kind === "instrument" ? null : "Select an instrument track first"),
    run: addNotes,
  },
  {
    id: "notes-quantise",
    group: "Clips",
    label: "Quantise notes to grid",
    key: null,
    blocked: ({ chosen }) => (chosen.some(({ clip }) => clip.kind === "notes") ? null : "Select a clip of notes first"),
    run: quantise,
  },
  {
    id: "row",
    group: "View",
    label: "Enlarge the track's row",
    labelNow: ({ drawer }) => (drawer.open === "row" ? "Close the enlarged row" : "Enlarge the track's row"),
    key: "B",
    blocked: ({ drawer, lastTrack }) => (drawer.open === "row" || lastTrack ? null : "Select a track first"),
    run: (s) => toggle(s, "row"),
  },
  {
    id: "shelf",
    group: "View",
    label: "The shelf under the lanes",
    labelNow: ({ drawer }) => (drawer.open === "shelf" ? "Close the shelf" : "The shelf under the lanes"),
    key: "W",
    run: (s) => toggle(s, "shelf"),
  },
  {
    id: "kit",
    group: "View",
    label: "Show pads and layers",
    labelNow: ({ drawer }) => (drawer.open === "kit" ? "Close the pads" : "Show pads and layers"),
    key: "D",
    blocked: ({ drawer, lastTrack }) =>
      drawer.open === "kit" || (lastTrack && holderOf(lastTrack))
        ? null
        : "Select a track with a kit or a sampler first",
    run: (s) => toggle(s, "kit"),
  },
  {
    id: "look",
    group: "View",
    label: "Zoom to selection",
    key: "I",
    blocked: ({ main, range }) => (main || range ? null : "Select a clip or a range first"),
    run: look,
  },
  { id: "marker-add", group: "Places", label: "Set a marker at the playhead", key: "Shift+M", run: addMarker },
  {
    id: "marker-next",
    group: "Places",
    label: "Playhead to the next marker",
    key: "Ctrl+.",
    blocked: noMarkers,
    run: (s) => goToMarker(s, 1),
  },
  {
    id: "marker-before",
    group: "Places",
    label: "Playhead to the marker before",
    key: "Ctrl+,",
    blocked: noMarkers,
    run: (s) => goToMarker(s, -1),
  },
  {
    id: "range-save",
    group: "Places",
    label: "Save the range",
    key: "Shift+R",
    blocked: ({ range }) => (range ? null : "Select a range on the lanes or set one on the ruler first"),
    run: saveRange,
  },
  {
    id: "range-mark",
    group: "Places",
    label: "Loop the selection",
    key: null,
    blocked: ({ now }) => (now.selectedRange ? null : "Select a range on the lanes first"),
    run: ({ now: { selectedRange }, player }) =>
      selectedRange && player.mark({ from: selectedRange.from, to: selectedRange.to }),
  },
  {
    id: "range-none",
    group: "Places",
    label: "Deselect the range",
    key: null,
    blocked: ({ now }) => (now.selectedRange ? null : "Nothing is chosen"),
    run: ({ now }) => now.selectRange(null),
  },
]);
