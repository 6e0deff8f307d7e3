import type { Clip } from "../../core/session/document";
import type { Action } from "../session/actions";
import { clockOf } from "../session/clock";
import type { SessionStoreApi } from "../session/store";
import { clipSpan } from "../../core/session/clips";
import { dragEdit, dragged } from "./gestures";
import type { Grip } from "./gestures";

/** What can be done to the selected clip from the keyboard: the same edits as by dragging, a beat at a time. */
export function clipActions(store: SessionStoreApi): readonly Action[] {
  const { session, selectedClip, edit, selectClip } = store.getState();
  const clock = clockOf(session);
  const track = session.tracks.find((t) => t.id === selectedClip?.track);
  const clip = track?.clips.find((c) => c.id === selectedClip?.clip);
  const blocked = !track || !clip ? "Select a clip first" : track.frozen ? "The track is frozen: unfreeze it to edit" : null;
  const nudge = (grip: Grip, beats: number) => {
    if (!track || !clip) return;
    const { from, to } = clipSpan(clip, clock.tempo);
    const anchor = grip === "trim end" ? to : from;
    const beat = clock.meter.beatTicks(clock.tempo.toTicks(anchor));
    const target = clock.tempo.toFrames(Math.max(0, clock.tempo.toTicks(anchor) + beats * beat));
    const after = dragged({ grip, track: track.id, clip, grabbed: anchor }, session, clock, target, false);
    const made = dragEdit(clip, after, track.id);
    if (made) edit(`${grip === "move" ? "Move" : "Trim"} ${clip.name}`, [made]);
  };
  const walk = (by: number) => {
    const all: { track: string; clip: Clip }[] = session.tracks.flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c })));
    const at = all.findIndex((c) => c.clip.id === selectedClip?.clip && c.track === selectedClip?.track);
    const next = all[at < 0 ? 0 : (at + by + all.length) % all.length];
    if (next) selectClip({ track: next.track, clip: next.clip.id });
  };
  const action = (id: string, label: string, key: string, run: () => void, why = blocked): Action => ({ id, group: "Clips", label, key, blocked: why, run });
  return [
    action("clip-next", "Select the next clip", "]", () => walk(1), null),
    action("clip-before", "Select the clip before", "[", () => walk(-1), null),
    action("clip-later", "Move the clip a beat later", "ArrowRight", () => nudge("move", 1)),
    action("clip-earlier", "Move the clip a beat earlier", "ArrowLeft", () => nudge("move", -1)),
    action("clip-start-later", "Trim the clip's start by a beat", "Shift+ArrowRight", () => nudge("trim start", 1)),
    action("clip-start-earlier", "Give the clip's start a beat back", "Shift+ArrowLeft", () => nudge("trim start", -1)),
    action("clip-end-earlier", "Trim the clip's end by a beat", "Alt+ArrowLeft", () => nudge("trim end", -1)),
    action("clip-end-later", "Give the clip's end a beat back", "Alt+ArrowRight", () => nudge("trim end", 1)),
  ];
}
