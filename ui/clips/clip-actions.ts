import { reversed } from "../../core/session/bend-edits";
import { clipSpan } from "../../core/session/clips";
import { CROSSFADE_S, crossfade, cutAround, placeCopy, splitClip } from "../../core/session/clip-edits";
import type { Clip } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { ClipRef } from "../../core/session/move-clips";
import { clipsOf, moveClips } from "../../core/session/move-clips";
import { nestClips, unnestClip } from "../../core/session/nest-edits";
import { onsetsInClip, sliceClip } from "../../core/session/slice";
import { putAside } from "../../core/session/take-edits";
import type { Checked } from "../../core/session/problem";
import type { Frames } from "../../core/units";
import { actionsOn, type ActionContext, type ActionSpec } from "../actions/action";
import { clockOf } from "../session/clock";
import type { Grip } from "./gestures";
import { dragEdit, dragged } from "./gestures";
import { onsetsNow } from "../timeline/onsets";
import { stepped } from "../timeline/step";
import { askRepeat } from "./repeat";
import { sayFirstProblem } from "../../core/words/problems";

/** A clip that was copied, and how many rows below the first one it stood. */
interface Copied {
  readonly clip: Clip;
  readonly from: Frames;
  readonly rows: number;
}

/** What was copied last. Of this page alone: it is neither stored nor undone. */
let copied: readonly Copied[] = [];

const newId = () => crypto.randomUUID();

const quoted = (names: readonly string[]): string => names.map((n) => `“${n}”`).join(" and ");

function stateOf({ session: store, playback, warn }: ActionContext) {
  const now = store.getState();
  const chosen = clipsOf(now.session, now.selectedClips);
  const main = clipsOf(now.session, now.selectedClip ? [now.selectedClip] : [])[0];
  const frozen = chosen.some(({ track }) => track.frozen);
  return {
    ...{ store, now, chosen, main, warn },
    clock: clockOf(now.session),
    playhead: (): Frames => Math.round(playback.getState().position()),
    name: chosen.length === 1 ? main?.clip.name || "a clip" : `${chosen.length} clips`,
    blocked: chosen.length === 0 ? "Select a clip first" : frozen ? "The track is frozen: unfreeze it to edit" : null,
  };
}
type State = ReturnType<typeof stateOf>;

const refuse = ({ warn }: Pick<State, "warn">, made: Checked<unknown>): void => {
  if (!made.ok) warn(sayFirstProblem(made.problems));
};

/** Moves or trims by a number of steps of the grid. */
function nudge({ now, main, clock, name }: State, grip: Grip, steps: number): void {
  if (!main) return;
  const { from, to } = clipSpan(main.clip, clock.tempo);
  const anchor = grip === "trim end" ? to : from;
  const target = stepped(clock, anchor, steps);
  if (grip === "move") {
    const made = moveClips(now.session, now.selectedClips, target - anchor, 0, clock.tempo);
    now.edit(`Move ${name}`, made.edits);
    return;
  }
  const made = dragEdit(
    main.clip,
    dragged({ grip, track: main.track.id, clip: main.clip, grabbed: anchor }, now.session, clock, target, null),
    main.track.id,
  );
  if (made) now.edit(`Trim ${main.clip.name || "a clip"}`, [made]);
}

/** Selects the clip `by` places behind the selected one. */
function walk({ now }: State, by: number): void {
  const all: ClipRef[] = now.session.tracks.flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c.id })));
  const at = all.findIndex((c) => c.clip === now.selectedClip?.clip && c.track === now.selectedClip.track);
  now.selectClip(all[at < 0 ? 0 : (at + by + all.length) % all.length] ?? null);
}

/**
 * Places copies so that the first of them begins at a frame. If one does not fit its row, it is refused, and nothing is
 * placed.
 */
function place(
  state: State,
  clips: readonly { readonly clip: Clip; readonly from: Frames; readonly track: string }[],
  at: Frames,
  label: string,
): void {
  const { now, clock, warn } = state;
  const first = Math.min(...clips.map((c) => c.from));
  const edits: Edit[] = [];
  const refs: ClipRef[] = [];
  const counts = new Map<string, number>();
  for (const { clip, from, track: id } of clips) {
    const track = now.session.tracks.find((t) => t.id === id);
    if (!track) return warn("There is no track to put it on.");
    const made = placeCopy(clip, track, at + from - first, clock.tempo, newId());
    if (!made.ok) return refuse(state, made);
    const added = counts.get(id) ?? 0;
    counts.set(id, added + 1);
    for (const e of made.value) {
      edits.push(e.do === "add" ? { ...e, index: e.index + added } : e);
      if (e.do === "add") refs.push({ track: id, clip: String(e.item["id"]) });
    }
  }
  if (now.edit(label, edits)) now.selectClips(refs);
}

function copy({ now, chosen, clock }: State): void {
  const rows = chosen.map(({ track }) => now.session.tracks.indexOf(track));
  copied = chosen.map(({ clip }, i) => ({
    clip,
    from: clipSpan(clip, clock.tempo).from,
    rows: (rows[i] ?? 0) - Math.min(...rows),
  }));
}

function remove({ now, chosen }: State, label: string): void {
  const edits = chosen.map(({ track, clip }): Edit => ({ do: "remove", in: "clips", track: track.id, id: clip.id }));
  if (now.edit(label, edits)) now.selectClips([]);
}

/** Row of the track that copies are pasted on; -1: there is none. */
const targetRow = ({ now: { session, selected, selectedClip } }: State): number =>
  session.tracks.findIndex(
    (t) => t.id === (selected.find((id) => session.tracks.some((k) => k.id === id)) ?? selectedClip?.track),
  );

/** Copies of the chosen clips behind them, each where the one before ends; of notes by the grid, not by time. */
function repeat(state: State, times: number): void {
  const { chosen, clock, name } = state;
  const { tempo } = clock;
  const byTicks = chosen.every(({ clip }) => clip.kind === "notes");
  const spans = chosen.map(({ clip }) => {
    const { from, to } = clipSpan(clip, tempo);
    return byTicks ? { from: Math.round(tempo.toTicks(from)), to: Math.round(tempo.toTicks(to)) } : { from, to };
  });
  const [first, end] = [Math.min(...spans.map((s) => s.from)), Math.max(...spans.map((s) => s.to))];
  const copies = Array.from({ length: times }, (_, k) =>
    chosen.map(({ track, clip }, i) => {
      const at = (spans[i]?.from ?? 0) + (k + 1) * (end - first);
      return { clip, track: track.id, from: byTicks ? tempo.toFrames(at) : at };
    }),
  ).flat();
  const label = times === 1 ? `Duplicate ${name}` : `Repeat ${name} ${times} times`;
  place(state, copies, Math.min(...copies.map((c) => c.from)), label);
}

async function slice(state: State): Promise<void> {
  const { main, store, clock, warn, now } = state;
  if (main?.clip.kind !== "audio") return warn("Only clips of audio are cut at what begins in them.");
  const { clip, track } = main;
  const onsets = await onsetsNow(clip.asset);
  if (onsets === null) return warn("The server cannot be reached: nothing was cut.");
  const { session } = store.getState();
  const frames = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
  const ref = { track: track.id, clip: clip.id };
  const made = sliceClip(session, ref, onsetsInClip(clip, onsets, frames), clock.tempo, newId);
  if (!made.ok) return refuse(state, made);
  const { edits, pieces } = made.value;
  if (now.edit(`Cut ${clip.name || "a clip"} into ${pieces.length} where sounds begin`, edits))
    now.selectClips(pieces.map((id) => ({ track: track.id, clip: id })));
}

function cutAtPlayhead(state: State): void {
  const { now, chosen, clock, name, playhead } = state;
  const at = playhead();
  const edits: Edit[] = [];
  const refs: ClipRef[] = [];
  let last: Checked<unknown> | null = null;
  for (const { track, clip } of chosen) {
    const id = newId();
    const made = splitClip(track, clip, at, clock.tempo, id);
    last = made;
    if (!made.ok) continue;
    edits.push(...made.value);
    refs.push({ track: track.id, clip: id });
  }
  if (edits.length === 0) return last ? refuse(state, last) : undefined;
  if (now.edit(`Cut ${name} in two`, edits)) now.selectClips(refs);
}

/** Cuts at both ends of the chosen range, and removes what lies within it where that is asked for. */
function cutRange({ now, clock, warn }: State, thenRemove: boolean): void {
  const { session, selectedRange } = now;
  if (!selectedRange) return;
  const tracks = session.tracks.filter((t) => selectedRange.tracks.includes(t.id) && !t.frozen);
  const { edits, inside } = cutAround(tracks, selectedRange.from, selectedRange.to, clock.tempo, newId);
  const all = thenRemove
    ? [...edits, ...inside.map((ref): Edit => ({ do: "remove", in: "clips", track: ref.track, id: ref.clip }))]
    : edits;
  if (all.length === 0) return warn("No clip lies over the ends of the range.");
  if (now.edit(thenRemove ? "Delete range contents" : "Split at range ends", all))
    now.selectClips(thenRemove ? [] : inside, selectedRange.tracks);
}

function selectAllClips({ now: { session, selected, selectClips } }: State): void {
  const tracks = session.tracks.filter((t) => selected.includes(t.id));
  selectClips(
    tracks.flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c.id }))),
    selected,
  );
}

function mute({ now, chosen, name }: State): void {
  const muted = !chosen.every(({ clip }) => clip.muted);
  now.edit(
    `${muted ? "Mute" : "Unmute"} ${name}`,
    chosen.map(({ track, clip }): Edit => ({
      ...{ do: "set", in: "clips", track: track.id, id: clip.id, patch: { muted } },
    })),
  );
}

/** Plays clips of audio backwards, or forwards again where all of them are. */
function reverse({ now, chosen, name }: State): void {
  const audio = chosen.flatMap(({ track, clip }) => (clip.kind === "audio" ? [{ track: track.id, clip }] : []));
  const all = audio.every(({ clip }) => clip.reverse);
  const framesOf = (asset: string) => now.session.assets.find((a) => a.id === asset)?.frames ?? 0;
  now.edit(
    `${all ? "Play forwards" : "Reverse"} ${name}`,
    audio
      .filter(({ clip }) => clip.reverse === all)
      .map(({ track, clip }): Edit => ({
        ...{ do: "set", in: "clips", track, id: clip.id, patch: { ...reversed(clip, framesOf(clip.asset)) } },
      })),
  );
}

function moveToTake(state: State): void {
  const { now, chosen, name } = state;
  const byTrack = new Map(chosen.map(({ track }) => [track.id, track]));
  const edits: Edit[] = [];
  for (const track of byTrack.values()) {
    const made = putAside(
      track,
      chosen.filter((c) => c.track.id === track.id).map((c) => c.clip.id),
      newId,
    );
    if (!made.ok) return refuse(state, made);
    edits.push(...made.value);
  }
  if (now.edit(`Put ${name} aside`, edits)) now.selectClips([]);
}

function paste(state: State): void {
  const target = targetRow(state);
  place(
    state,
    copied.map(({ clip, from, rows }) => ({ clip, from, track: state.now.session.tracks[target + rows]?.id ?? "" })),
    state.playhead(),
    `Paste ${copied.length === 1 ? copied[0]?.clip.name || "a clip" : `${copied.length} clips`}`,
  );
}

function crossfadeWithPrevious(state: State): void {
  const { now, main } = state;
  if (!main) return;
  const made = crossfade(now.session, main.track, main.clip, Math.round(CROSSFADE_S * now.session.rate));
  if (made.ok) now.edit(`Crossfade into ${main.clip.name || "a clip"}`, made.value);
  else refuse(state, made);
}

function nest(state: State): void {
  const { now, main, chosen, name, warn } = state;
  if (!main) return;
  const made = nestClips(
    main.track,
    chosen.filter((c) => c.track === main.track).map((c) => c.clip.id),
    newId,
  );
  if (!made.ok) return refuse(state, made);
  if (!now.edit(`Nest ${name}`, made.value.edits)) return;
  now.selectClip({ track: main.track.id, clip: made.value.clip });
  const { ringing } = made.value;
  if (ringing.length > 0)
    warn(`The nest ends with its clips, and cuts off the tail of ${quoted(ringing)}. Undo takes it back.`);
}

function unnest(state: State): void {
  const { now, main, name, warn } = state;
  if (main?.clip.kind !== "nest") return warn("Select a nest first.");
  const made = unnestClip(main.track, main.clip);
  if (!made.ok) return refuse(state, made);
  if (!now.edit(`Unnest ${name}`, made.value.edits)) return;
  now.selectClips(made.value.clips.map((clip) => ({ track: main.track.id, clip })));
  const { ringing } = made.value;
  if (ringing.length > 0)
    warn(`The tail of ${quoted(ringing)}, which the nest cut off, is heard now. Undo takes it back.`);
}

const blocked = (state: State) => state.blocked;
const noRange = ({ now }: State) =>
  now.selectedRange ? null : "Select a range first: drag over the lanes beside a clip";

const action = (
  id: string,
  label: string,
  key: string | null,
  run: (state: State) => void,
  why: (state: State) => string | null = blocked,
): ActionSpec<State> => ({ id, group: "Clips", label, key, blocked: why, run });

/**
 * What can be done to the selected clips from the keyboard: the same edits as by dragging, a step at a time; and
 * cutting, copying, removing.
 */
export const clipActions = actionsOn(stateOf, [
  action(
    "clip-next",
    "Select the next clip",
    "]",
    (s) => walk(s, 1),
    () => null,
  ),
  action(
    "clip-before",
    "Select the clip before",
    "[",
    (s) => walk(s, -1),
    () => null,
  ),
  action("clip-all", "Select all clips of the tracks", "Ctrl+Shift+A", selectAllClips, ({ now }) =>
    now.selected.length > 0 ? null : "Select tracks first",
  ),
  action("clip-cut-here", "Split clips at playhead", "K", cutAtPlayhead),
  action("range-cut", "Split at range ends", "Shift+K", (s) => cutRange(s, false), noRange),
  action("range-clear", "Delete range contents", "Backspace", (s) => cutRange(s, true), noRange),
  action("clip-duplicate", "Duplicate clips", "Ctrl+D", (s) => repeat(s, 1)),
  action("clip-mute", "Mute / unmute clips", "Q", mute),
  action("clip-repeat", "Repeat clips", "Shift+D", (s) => askRepeat(s.name, (times) => repeat(s, times))),
  action("clip-remove", "Delete clips", "Delete", (s) => remove(s, `Remove ${s.name}`)),
  action("clip-aside", "Move clips to a take", "T", moveToTake),
  action("clip-copy", "Copy clips", "Ctrl+C", copy, ({ chosen }) => (chosen.length > 0 ? null : "Select a clip first")),
  action("clip-take", "Cut clips to the clipboard", "Ctrl+X", (s) => {
    copy(s);
    remove(s, `Take ${s.name} away`);
  }),
  action("clip-paste", "Paste clips at playhead", "Ctrl+V", paste, (s) =>
    copied.length === 0 ? "Copy a clip first" : targetRow(s) >= 0 ? null : "Select a track first",
  ),
  action("clip-crossfade", "Crossfade with previous clip", "V", crossfadeWithPrevious),
  action(
    "clip-reverse",
    "Reverse clips",
    null,
    reverse,
    (s) => s.blocked ?? (s.chosen.some(({ clip }) => clip.kind === "audio") ? null : "Select a clip of audio first"),
  ),
  action("clip-slice", "Slice at onsets", "Shift+Q", (s) => void slice(s)),
  action("clip-nest", "Nest clips", "G", nest),
  action(
    "clip-unnest",
    "Unnest clips",
    "Shift+G",
    unnest,
    (s) => s.blocked ?? (s.main?.clip.kind === "nest" ? null : "Select a nest first"),
  ),
  action("clip-later", "Move clips a step later", "ArrowRight", (s) => nudge(s, "move", 1)),
  action("clip-earlier", "Move clips a step earlier", "ArrowLeft", (s) => nudge(s, "move", -1)),
  action("clip-start-later", "Trim start by a step", "Shift+ArrowRight", (s) => nudge(s, "trim start", 1)),
  action("clip-start-earlier", "Extend start by a step", "Shift+ArrowLeft", (s) => nudge(s, "trim start", -1)),
  action("clip-end-earlier", "Trim end by a step", "Alt+ArrowLeft", (s) => nudge(s, "trim end", -1)),
  action("clip-end-later", "Extend end by a step", "Alt+ArrowRight", (s) => nudge(s, "trim end", 1)),
]);
