import { clipSpan } from "../../core/session/clips";
import { clockOf } from "../session/clock";
import { actionsOn, type ActionContext } from "./action";

function stateOf({ session, playback }: ActionContext) {
  const { session: document, selected, selectedClip } = session.getState();
  const clip = selectedClip
    ? document.tracks.find((t) => t.id === selectedClip.track)?.clips.find((c) => c.id === selectedClip.clip)
    : undefined;
  return { player: playback.getState(), document, selected, clip };
}

/** Everything that can be done with playing. */
export const playbackActions = actionsOn(stateOf, [
  {
    id: "play",
    group: "Listen",
    label: "Play or stop",
    labelNow: ({ player }) => (player.state === "stopped" ? "Play" : "Stop"),
    key: "Space",
    run: ({ player }) => player.toggle(),
  },
  {
    id: "to-start",
    group: "Listen",
    label: "Playhead to the beginning",
    key: "Home",
    run: ({ player }) => player.seek(0),
  },
  { id: "bar-on", group: "Listen", label: "Playhead a bar on", key: ".", run: ({ player }) => player.stepBars(1) },
  { id: "bar-back", group: "Listen", label: "Playhead a bar back", key: ",", run: ({ player }) => player.stepBars(-1) },
  {
    id: "loop",
    group: "Listen",
    label: "Loop the range",
    labelNow: ({ player }) => (player.looping ? "Stop looping" : "Loop the range"),
    key: "L",
    blocked: ({ player }) => (player.stretch ? null : "Set a range first: drag along the ruler"),
    run: ({ player }) => player.loop(!player.looping),
  },
  {
    id: "mark-clip",
    group: "Listen",
    label: "Mark the clip as range",
    key: "Shift+L",
    blocked: ({ clip }) => (clip ? null : "Select a clip first"),
    run: ({ player, clip, document }) => clip && player.mark(clipSpan(clip, clockOf(document).tempo)),
  },
  {
    id: "unmark",
    group: "Listen",
    label: "Clear the range",
    key: null,
    blocked: ({ player }) => (player.stretch ? null : "No range is set"),
    run: ({ player }) => player.mark(null),
  },
  {
    id: "solo",
    group: "Listen",
    label: "Solo tracks",
    key: "S",
    blocked: ({ selected }) => (selected.length === 0 ? "Select tracks first" : null),
    run: ({ player, selected }) => player.solo(selected),
  },
  {
    id: "solo-none",
    group: "Listen",
    label: "Clear all solos",
    key: "Shift+S",
    blocked: ({ player }) => (player.soloed.size === 0 ? "Everything is heard" : null),
    run: ({ player }) => player.soloNone(),
  },
]);
