import { clipSpan } from "../../core/session/clips";
import { clipsOf } from "../../core/session/move-clips";
import { emptyPhrase } from "../../core/session/note-edits";
import { holderOf } from "../kit/kit-editor";
import type { PlaybackStoreApi } from "../playback/store";
import type { Action } from "../session/actions";
import { barText, clockOf } from "../session/clock";
import type { SessionStoreApi } from "../session/store";
import { trackName } from "../session/track-state";
import { INSIDE, useDrawer } from "./drawer-store";
import { useBenchView } from "../timeline/view";

/** Places and stretches with names: set where the playhead is, or over what is chosen or marked. */
export function placeActions(store: SessionStoreApi, playback: PlaybackStoreApi): readonly Action[] {
  const { session, selected, selectedClip, selectedRange, edit, selectRange } = store.getState();
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
  const drawer = useDrawer.getState();
  const inside = drawer.open === "notes" || drawer.open === "nest" || drawer.open === "bend";
  const main = clipsOf(session, selectedClip ? [selectedClip] : [])[0];
  const lastTrack = session.tracks.find((t) => t.id === (selectedClip?.track ?? selected.at(-1)));
  const writable = lastTrack?.kind === "instrument";
  const look = () => {
    if (main) {
      const { from, to } = clipSpan(main.clip, clock.tempo);
      useBenchView.getState().look(from, to);
    } else if (over) useBenchView.getState().look(over.from, over.to);
  };
  /** Recalls a saved range: it is marked, chosen over the selected tracks, and the playhead put at its beginning. */
  const ranges = [...session.ranges].sort((a, b) => a.from - b.from);
  const recall = (by: 1 | -1) => {
    const at = ranges.findIndex(
      (r) => over && clock.tempo.toFrames(r.from) === over.from && clock.tempo.toFrames(r.to) === over.to,
    );
    const range = ranges[at < 0 ? (by > 0 ? 0 : ranges.length - 1) : (at + by + ranges.length) % ranges.length];
    if (!range) return;
    const [from, to] = [clock.tempo.toFrames(range.from), clock.tempo.toFrames(range.to)];
    playback.getState().mark({ from, to });
    playback.getState().seek(from);
    selectRange(selected.length > 0 ? { from, to, tracks: selected } : null);
  };
  const noRanges = ranges.length > 0 ? null : "There are no saved ranges";
  return [
    {
      id: "range-next",
      group: "Places",
      label: "Recall the next saved range",
      key: "X",
      blocked: noRanges,
      run: () => recall(1),
    },
    {
      id: "range-before",
      group: "Places",
      label: "Recall the saved range before",
      key: "Shift+X",
      blocked: noRanges,
      run: () => recall(-1),
    },
    {
      id: "automation",
      group: "View",
      label: drawer.open === "automation" ? "Close the automation" : "Automation of the selected track",
      key: "A",
      blocked: null,
      run: () => drawer.show(drawer.open === "automation" ? null : "automation"),
    },
    {
      id: "notes",
      group: "View",
      label: inside
        ? "Close what is inside the clip"
        : "Open the selected clip: its notes, its nest, or its time and pitch",
      key: "E",
      blocked: inside || main ? null : "Select a clip first",
      run: () => {
        if (inside) return drawer.show(null);
        look();
        if (main) drawer.show(INSIDE[main.clip.kind]);
      },
    },
    {
      id: "notes-new",
      group: "Clips",
      label: "A new clip of notes at the playhead, on the selected track",
      key: "Ctrl+E",
      blocked: writable ? null : "Select an instrument track first",
      run: () => {
        if (!lastTrack) return;
        const { bar } = clock.meter.position(clock.tempo.toTicks(playback.getState().position()));
        const start = clock.meter.barToTick(bar);
        const made = emptyPhrase(session, lastTrack, start, clock.meter.barToTick(bar + 1) - start, () =>
          crypto.randomUUID(),
        );
        if (!edit(`A new clip of notes on ${trackName(lastTrack)}`, made.edits)) return;
        store.getState().selectClip({ track: lastTrack.id, clip: made.clip });
        drawer.show("notes");
      },
    },
    {
      id: "row",
      group: "View",
      label: drawer.open === "row" ? "Close the enlarged row" : "The selected track's row, enlarged",
      key: "B",
      blocked: drawer.open === "row" || lastTrack ? null : "Select a track first",
      run: () => drawer.show(drawer.open === "row" ? null : "row"),
    },
    {
      id: "shelf",
      group: "View",
      label: drawer.open === "shelf" ? "Close the shelf" : "The shelf under the lanes",
      key: "W",
      blocked: null,
      run: () => drawer.show(drawer.open === "shelf" ? null : "shelf"),
    },
    {
      id: "kit",
      group: "View",
      label: drawer.open === "kit" ? "Close the pads" : "Pads and layers of the selected track",
      key: "D",
      blocked:
        drawer.open === "kit" || (lastTrack && holderOf(lastTrack))
          ? null
          : "Select a track with a kit or a sampler first",
      run: () => drawer.show(drawer.open === "kit" ? null : "kit"),
    },
    {
      id: "look",
      group: "View",
      label: "Look at the selected clip or stretch",
      key: "I",
      blocked: main || over ? null : "Select a clip or a stretch first",
      run: look,
    },
    {
      id: "marker-add",
      group: "Places",
      label: "Set a marker at the playhead",
      key: "Shift+M",
      blocked: null,
      run: () => {
        const frame = playback.getState().position();
        edit(`Set a marker at ${barText(clock, frame)}`, [
          {
            do: "add",
            in: "markers",
            item: { id: crypto.randomUUID(), name: `Mark ${session.markers.length + 1}`, tick: tickOf(frame) },
            index: session.markers.length,
          },
        ]);
      },
    },
    {
      id: "marker-next",
      group: "Places",
      label: "Playhead to the next marker",
      key: "Ctrl+.",
      blocked: none,
      run: () => go(1),
    },
    {
      id: "marker-before",
      group: "Places",
      label: "Playhead to the marker before",
      key: "Ctrl+,",
      blocked: none,
      run: () => go(-1),
    },
    {
      id: "range-save",
      group: "Places",
      label: "Save the chosen or marked stretch as a range",
      key: "Shift+R",
      blocked: over ? null : "Choose a stretch on the lanes or mark one on the ruler first",
      run: () => {
        if (!over) return;
        const name = `Range ${session.ranges.length + 1}`;
        edit(`Save ${name}`, [
          {
            do: "add",
            in: "ranges",
            item: { id: crypto.randomUUID(), name, from: tickOf(over.from), to: tickOf(over.to) },
            index: session.ranges.length,
          },
        ]);
      },
    },
    {
      id: "range-mark",
      group: "Places",
      label: "Mark the chosen stretch to play",
      key: null,
      blocked: selectedRange ? null : "Choose a stretch on the lanes first",
      run: () => {
        if (selectedRange) playback.getState().mark({ from: selectedRange.from, to: selectedRange.to });
      },
    },
    {
      id: "range-none",
      group: "Places",
      label: "Choose no stretch",
      key: null,
      blocked: selectedRange ? null : "Nothing is chosen",
      run: () => selectRange(null),
    },
  ];
}
