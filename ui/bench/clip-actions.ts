import { placeCopy, splitClip } from "../../core/session/clip-edits";
import type { Clip, Track } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { Checked } from "../../core/session/problem";
import type { Frames } from "../../core/units";
import type { PlaybackStoreApi } from "../playback/store";
import type { Action } from "../session/actions";
import { clockOf } from "../session/clock";
import type { SessionStoreApi } from "../session/store";
import { clipSpan } from "../../core/session/clips";
import { dragEdit, dragged } from "./gestures";
import type { Grip } from "./gestures";

/** The clip that was copied last. Of this page alone: it is neither stored nor undone. */
let copied: Clip | null = null;

/** What can be done to the selected clip from the keyboard: the same edits as by dragging, a beat at a time; and cutting, copying, removing. */
export function clipActions(store: SessionStoreApi, playback: PlaybackStoreApi, problem: (text: string) => void): readonly Action[] {
  const { session, selected, selectedClip, edit, selectClip } = store.getState();
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
  const make = (label: string, made: Checked<readonly Edit[]>, chosen: { readonly track: string; readonly clip: string } | null) => {
    if (!made.ok) return problem(`${made.problems[0]?.what ?? "That is not possible"}.`);
    edit(label, made.value);
    selectClip(chosen);
  };
  const place = (from: Clip, onto: Track, at: Frames, label: string) => {
    const id = crypto.randomUUID();
    make(label, placeCopy(from, onto, at, clock.tempo, id), { track: onto.id, clip: id });
  };
  const remove = (label: string) => {
    if (!track || !clip) return;
    edit(label, [{ do: "remove", in: "clips", track: track.id, id: clip.id }]);
    selectClip(null);
  };
  const playhead = () => Math.round(playback.getState().position());
  const target = session.tracks.find((t) => t.id === (selectedClip?.track ?? selected.at(-1)));
  const action = (id: string, label: string, key: string, run: () => void, why = blocked): Action => ({ id, group: "Clips", label, key, blocked: why, run });
  return [
    action("clip-next", "Select the next clip", "]", () => walk(1), null),
    action("clip-before", "Select the clip before", "[", () => walk(-1), null),
    action("clip-cut-here", "Cut the clip in two at the playhead", "K", () => {
      if (!track || !clip) return;
      const id = crypto.randomUUID();
      make(`Cut ${clip.name || "a clip"} in two`, splitClip(track, clip, playhead(), clock.tempo, id), { track: track.id, clip: id });
    }),
    action("clip-duplicate", "Duplicate the clip behind itself", "Ctrl+D", () => track && clip && place(clip, track, clipSpan(clip, clock.tempo).to, `Duplicate ${clip.name || "a clip"}`)),
    action("clip-remove", "Remove the clip", "Delete", () => remove(`Remove ${clip?.name || "a clip"}`)),
    action("clip-copy", "Copy the clip", "Ctrl+C", () => { copied = clip ?? null; }, clip ? null : "Select a clip first"),
    action("clip-take", "Copy the clip and remove it", "Ctrl+X", () => {
      copied = clip ?? null;
      remove(`Take ${clip?.name || "a clip"} away`);
    }),
    action("clip-paste", "Put the copied clip at the playhead, on the selected track", "Ctrl+V", () => copied && target && place(copied, target, playhead(), `Paste ${copied.name || "a clip"}`), !copied ? "Copy a clip first" : target ? null : "Select a track first"),
    action("clip-later", "Move the clip a beat later", "ArrowRight", () => nudge("move", 1)),
    action("clip-earlier", "Move the clip a beat earlier", "ArrowLeft", () => nudge("move", -1)),
    action("clip-start-later", "Trim the clip's start by a beat", "Shift+ArrowRight", () => nudge("trim start", 1)),
    action("clip-start-earlier", "Give the clip's start a beat back", "Shift+ArrowLeft", () => nudge("trim start", -1)),
    action("clip-end-earlier", "Trim the clip's end by a beat", "Alt+ArrowLeft", () => nudge("trim end", -1)),
    action("clip-end-later", "Give the clip's end a beat back", "Alt+ArrowRight", () => nudge("trim end", 1)),
  ];
}
