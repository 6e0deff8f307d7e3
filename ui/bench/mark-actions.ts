import type { PlaybackStoreApi } from "../playback/store";
import type { Action } from "../session/actions";
import { barText, clockOf } from "../session/clock";
import type { SessionStoreApi } from "../session/store";

/** Places and stretches with names: set where the playhead is, or over what is chosen or marked. */
export function markActions(store: SessionStoreApi, playback: PlaybackStoreApi): readonly Action[] {
  const { session, selectedRange, edit, selectRange } = store.getState();
  const { stretch } = playback.getState();
  const clock = clockOf(session);
  const tickOf = (frame: number) => Math.round(clock.tempo.toTicks(frame));
  const over = selectedRange ?? stretch;
  const marks = [...session.markers].sort((a, b) => a.tick - b.tick);
  const go = (by: 1 | -1) => {
    const now = clock.tempo.toTicks(playback.getState().position());
    const to = by > 0 ? marks.find((m) => m.tick > now + 1) : marks.findLast((m) => m.tick < now - 1);
    if (to) playback.getState().seek(clock.tempo.toFrames(to.tick));
  };
  const none = marks.length > 0 ? null : "There are no markers";
  return [
    {
      id: "marker-add", group: "Places", label: "Set a marker at the playhead", key: "Shift+M", blocked: null,
      run: () => {
        const frame = playback.getState().position();
        edit(`Set a marker at ${barText(clock, frame)}`, [{ do: "add", in: "markers", item: { id: crypto.randomUUID(), name: `Mark ${session.markers.length + 1}`, tick: tickOf(frame) }, index: session.markers.length }]);
      },
    },
    { id: "marker-next", group: "Places", label: "Playhead to the next marker", key: "Ctrl+.", blocked: none, run: () => go(1) },
    { id: "marker-before", group: "Places", label: "Playhead to the marker before", key: "Ctrl+,", blocked: none, run: () => go(-1) },
    {
      id: "range-save", group: "Places", label: "Save the chosen or marked stretch as a range", key: "Shift+R", blocked: over ? null : "Choose a stretch on the lanes or mark one on the ruler first",
      run: () => {
        if (!over) return;
        const name = `Range ${session.ranges.length + 1}`;
        edit(`Save ${name}`, [{ do: "add", in: "ranges", item: { id: crypto.randomUUID(), name, from: tickOf(over.from), to: tickOf(over.to) }, index: session.ranges.length }]);
      },
    },
    { id: "range-mark", group: "Places", label: "Mark the chosen stretch to play", key: null, blocked: selectedRange ? null : "Choose a stretch on the lanes first", run: () => { if (selectedRange) playback.getState().mark({ from: selectedRange.from, to: selectedRange.to }); } },
    { id: "range-none", group: "Places", label: "Choose no stretch", key: null, blocked: selectedRange ? null : "Nothing is chosen", run: () => selectRange(null) },
  ];
}
