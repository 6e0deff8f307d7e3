import type { Action } from "../session/actions";
import type { SessionStoreApi } from "../session/store";
import { clipSpan } from "../../core/session/clips";
import { clockOf } from "../session/clock";
import type { PlaybackStoreApi } from "./store";

/** Everything that can be done with playing. */
export function playbackActions(store: PlaybackStoreApi, session: SessionStoreApi): readonly Action[] {
  const p = store.getState();
  const { session: doc, selected, selectedClip } = session.getState();
  const clip = selectedClip
    ? doc.tracks.find((t) => t.id === selectedClip.track)?.clips.find((c) => c.id === selectedClip.clip)
    : undefined;
  return [
    {
      id: "play",
      group: "Listen",
      label: p.state === "stopped" ? "Play" : "Stop",
      key: "Space",
      blocked: null,
      run: () => p.toggle(),
    },
    {
      id: "to-start",
      group: "Listen",
      label: "Playhead to the beginning",
      key: "Home",
      blocked: null,
      run: () => p.seek(0),
    },
    { id: "bar-on", group: "Listen", label: "Playhead a bar on", key: ".", blocked: null, run: () => p.stepBars(1) },
    {
      id: "bar-back",
      group: "Listen",
      label: "Playhead a bar back",
      key: ",",
      blocked: null,
      run: () => p.stepBars(-1),
    },
    {
      id: "loop",
      group: "Listen",
      label: p.looping ? "Play on beyond the marked stretch" : "Play the marked stretch round and round",
      key: "L",
      blocked: p.stretch ? null : "Mark a stretch first: drag along the ruler",
      run: () => p.loop(!p.looping),
    },
    {
      id: "mark-clip",
      group: "Listen",
      label: "Mark the selected clip's stretch",
      key: "Shift+L",
      blocked: clip ? null : "Select a clip first",
      run: () => clip && p.mark(clipSpan(clip, clockOf(doc).tempo)),
    },
    {
      id: "unmark",
      group: "Listen",
      label: "Forget the marked stretch",
      key: null,
      blocked: p.stretch ? null : "Nothing is marked",
      run: () => p.mark(null),
    },
    {
      id: "solo",
      group: "Listen",
      label: "Hear only the selected tracks, or all again",
      key: "S",
      blocked: selected.length === 0 ? "Select tracks first" : null,
      run: () => p.solo(selected),
    },
    {
      id: "solo-none",
      group: "Listen",
      label: "Hear everything again",
      key: "Shift+S",
      blocked: p.soloed.size === 0 ? "Everything is heard" : null,
      run: () => p.soloNone(),
    },
  ];
}
