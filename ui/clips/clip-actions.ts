import { clipSpan } from "../../core/session/clips";
import { crossfade, cutAround, placeCopy, splitClip } from "../../core/session/clip-edits";
import type { Clip } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { ClipRef } from "../../core/session/move-clips";
import { clipsOf, moveClips } from "../../core/session/move-clips";
import { nestClips, unnestClip } from "../../core/session/nest-edits";
import { onsetsInClip, sliceClip } from "../../core/session/slice";
import { putAside } from "../../core/session/take-edits";
import type { Checked } from "../../core/session/problem";
import type { Frames } from "../../core/units";
import type { PlaybackStoreApi } from "../playback/store";
import type { Action } from "../session/actions";
import { clockOf } from "../session/clock";
import type { SessionStoreApi } from "../session/store";
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
/** How long a crossfade is where two clips only touch. */
const CROSSFADE_S = 0.02;

const quoted = (names: readonly string[]): string => names.map((n) => `“${n}”`).join(" and ");

/**
 * What can be done to the selected clips from the keyboard: the same edits as by dragging, a step at a time; and
 * cutting, copying, removing.
 */
export function clipActions(
  store: SessionStoreApi,
  playback: PlaybackStoreApi,
  problem: (text: string) => void,
): readonly Action[] {
  const { session, selected, selectedClip, selectedClips, selectedRange, edit, selectClip, selectClips } =
    store.getState();
  const clock = clockOf(session);
  const chosen = clipsOf(session, selectedClips);
  const main = clipsOf(session, selectedClip ? [selectedClip] : [])[0];
  const frozen = chosen.some(({ track }) => track.frozen);
  const blocked =
    chosen.length === 0 ? "Select a clip first" : frozen ? "The track is frozen: unfreeze it to edit" : null;
  const name = chosen.length === 1 ? main?.clip.name || "a clip" : `${chosen.length} clips`;
  const refuse = (made: Checked<unknown>) => {
    if (!made.ok) problem(sayFirstProblem(made.problems));
  };
  const playhead = () => Math.round(playback.getState().position());

  const nudge = (grip: Grip, steps: number) => {
    if (!main) return;
    const { from, to } = clipSpan(main.clip, clock.tempo);
    const anchor = grip === "trim end" ? to : from;
    const target = stepped(clock, anchor, steps);
    if (grip === "move") {
      const made = moveClips(session, selectedClips, target - anchor, 0, clock.tempo);
      edit(`Move ${name}`, made.edits);
      return;
    }
    const made = dragEdit(
      main.clip,
      dragged({ grip, track: main.track.id, clip: main.clip, grabbed: anchor }, session, clock, target, null),
      main.track.id,
    );
    if (made) edit(`Trim ${main.clip.name || "a clip"}`, [made]);
  };
  const walk = (by: number) => {
    const all: ClipRef[] = session.tracks.flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c.id })));
    const at = all.findIndex((c) => c.clip === selectedClip?.clip && c.track === selectedClip.track);
    selectClip(all[at < 0 ? 0 : (at + by + all.length) % all.length] ?? null);
  };
  /**
   * Places copies so that the first of them begins at a frame; what does not fit its row is refused, and nothing
   * placed.
   */
  const place = (
    clips: readonly { readonly clip: Clip; readonly from: Frames; readonly track: string }[],
    at: Frames,
    label: string,
  ) => {
    const first = Math.min(...clips.map((c) => c.from));
    const edits: Edit[] = [];
    const refs: ClipRef[] = [];
    const counts = new Map<string, number>();
    for (const { clip, from, track: id } of clips) {
      const track = session.tracks.find((t) => t.id === id);
      if (!track) return problem("There is no track to put it on.");
      const made = placeCopy(clip, track, at + from - first, clock.tempo, newId());
      if (!made.ok) return refuse(made);
      const added = counts.get(id) ?? 0;
      counts.set(id, added + 1);
      for (const e of made.value) {
        edits.push(e.do === "add" ? { ...e, index: e.index + added } : e);
        if (e.do === "add") refs.push({ track: id, clip: String(e.item["id"]) });
      }
    }
    if (edit(label, edits)) selectClips(refs);
  };
  const copy = () => {
    const rows = chosen.map(({ track }) => session.tracks.indexOf(track));
    copied = chosen.map(({ clip }, i) => ({
      clip,
      from: clipSpan(clip, clock.tempo).from,
      rows: (rows[i] ?? 0) - Math.min(...rows),
    }));
  };
  const remove = (label: string) => {
    if (
      edit(
        label,
        chosen.map(({ track, clip }): Edit => ({ do: "remove", in: "clips", track: track.id, id: clip.id })),
      )
    )
      selectClips([]);
  };
  const target = session.tracks.findIndex(
    (t) => t.id === (selected.find((id) => session.tracks.some((t) => t.id === id)) ?? selectedClip?.track),
  );
  /** Copies of what is chosen behind itself, each where the one before ends; of notes by the grid, not by time. */
  const repeat = (times: number) => {
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
    place(
      copies,
      Math.min(...copies.map((c) => c.from)),
      times === 1 ? `Duplicate ${name}` : `Repeat ${name} ${times} times`,
    );
  };
  const slice = async () => {
    if (main?.clip.kind !== "audio") return problem("Only clips of audio are cut at what begins in them.");
    const { clip, track } = main;
    const onsets = await onsetsNow(clip.asset);
    if (onsets === null) return problem("The server cannot be reached: nothing was cut.");
    const now = store.getState().session;
    const frames = now.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
    const ref = { track: track.id, clip: clip.id };
    const made = sliceClip(now, ref, onsetsInClip(clip, onsets, frames), clock.tempo, newId);
    if (!made.ok) return refuse(made);
    const { edits, pieces } = made.value;
    if (edit(`Cut ${clip.name || "a clip"} into ${pieces.length} where sounds begin`, edits))
      selectClips(pieces.map((id) => ({ track: track.id, clip: id })));
  };
  const cutHere = () => {
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
    if (edits.length === 0) return last ? refuse(last) : undefined;
    if (edit(`Cut ${name} in two`, edits)) selectClips(refs);
  };
  const cutRange = (thenRemove: boolean) => {
    if (!selectedRange) return;
    const tracks = session.tracks.filter((t) => selectedRange.tracks.includes(t.id) && !t.frozen);
    const { edits, inside } = cutAround(tracks, selectedRange.from, selectedRange.to, clock.tempo, newId);
    const all = thenRemove
      ? [...edits, ...inside.map((ref): Edit => ({ do: "remove", in: "clips", track: ref.track, id: ref.clip }))]
      : edits;
    if (all.length === 0) return problem("Nothing lies over the ends of the chosen stretch.");
    if (edit(thenRemove ? "Clear the chosen stretch" : "Cut at both ends of the chosen stretch", all))
      selectClips(thenRemove ? [] : inside, selectedRange.tracks);
  };
  const rangeBlocked = selectedRange ? null : "Choose a stretch first: drag over the lanes beside a clip";
  const action = (id: string, label: string, key: string | null, run: () => void, why = blocked): Action => ({
    id,
    group: "Clips",
    label,
    key,
    blocked: why,
    run,
  });
  return [
    action("clip-next", "Select the next clip", "]", () => walk(1), null),
    action("clip-before", "Select the clip before", "[", () => walk(-1), null),
    action(
      "clip-all",
      "Select every clip of the selected tracks",
      "Ctrl+Shift+A",
      () =>
        selectClips(
          session.tracks
            .filter((t) => selected.includes(t.id))
            .flatMap((t) => t.clips.map((c) => ({ track: t.id, clip: c.id }))),
          selected,
        ),
      selected.length > 0 ? null : "Select tracks first",
    ),
    action("clip-cut-here", "Cut the clips in two at the playhead", "K", cutHere),
    action("range-cut", "Cut at both ends of the chosen stretch", "Shift+K", () => cutRange(false), rangeBlocked),
    action("range-clear", "Clear the chosen stretch", "Backspace", () => cutRange(true), rangeBlocked),
    action("clip-duplicate", "Duplicate the clips behind themselves", "Ctrl+D", () => repeat(1)),
    action("clip-mute", "Silence the clips where they lie, or let them sound again", "Q", () => {
      const muted = !chosen.every(({ clip }) => clip.muted);
      edit(
        `${muted ? "Silence" : "Let sound"} ${name}`,
        chosen.map(({ track, clip }): Edit => ({
          do: "set",
          in: "clips",
          track: track.id,
          id: clip.id,
          patch: { muted },
        })),
      );
    }),
    action("clip-repeat", "Repeat the clips: say how often", "Shift+D", () => askRepeat(name, repeat)),
    action("clip-remove", "Remove the clips", "Delete", () => remove(`Remove ${name}`)),
    action("clip-aside", "Put the clips aside as a take, kept and silent", "T", () => {
      const byTrack = new Map(chosen.map(({ track }) => [track.id, track]));
      const edits: Edit[] = [];
      for (const track of byTrack.values()) {
        const made = putAside(
          track,
          chosen.filter((c) => c.track.id === track.id).map((c) => c.clip.id),
          newId,
        );
        if (!made.ok) return refuse(made);
        edits.push(...made.value);
      }
      if (edit(`Put ${name} aside`, edits)) selectClips([]);
    }),
    action("clip-copy", "Copy the clips", "Ctrl+C", copy, chosen.length > 0 ? null : "Select a clip first"),
    action("clip-take", "Copy the clips and remove them", "Ctrl+X", () => {
      copy();
      remove(`Take ${name} away`);
    }),
    action(
      "clip-paste",
      "Put the copied clips at the playhead, from the selected track on",
      "Ctrl+V",
      () =>
        place(
          copied.map(({ clip, from, rows }) => ({ clip, from, track: session.tracks[target + rows]?.id ?? "" })),
          playhead(),
          `Paste ${copied.length === 1 ? copied[0]?.clip.name || "a clip" : `${copied.length} clips`}`,
        ),
      copied.length === 0 ? "Copy a clip first" : target >= 0 ? null : "Select a track first",
    ),
    action("clip-crossfade", "Let the clip and the one before it fade into each other", "V", () => {
      if (!main) return;
      const made = crossfade(session, main.track, main.clip, Math.round(CROSSFADE_S * session.rate));
      if (made.ok) edit(`Crossfade into ${main.clip.name || "a clip"}`, made.value);
      else refuse(made);
    }),
    action("clip-slice", "Cut the clip wherever something begins in it", "Shift+Q", () => void slice()),
    action("clip-nest", "Put the clips into a nest", "G", () => {
      if (!main) return;
      const made = nestClips(
        main.track,
        chosen.filter((c) => c.track === main.track).map((c) => c.clip.id),
        newId,
      );
      if (!made.ok) refuse(made);
      else if (edit(`Nest ${name}`, made.value.edits)) {
        selectClip({ track: main.track.id, clip: made.value.clip });
        const { ringing } = made.value;
        if (ringing.length > 0)
          problem(`The nest ends with its clips, and cuts off the tail of ${quoted(ringing)}. Undo takes it back.`);
      }
    }),
    action(
      "clip-unnest",
      "Take the clips out of their nest",
      "Shift+G",
      () => {
        if (main?.clip.kind !== "nest") return problem("Select a nest first.");
        const made = unnestClip(main.track, main.clip);
        if (!made.ok) refuse(made);
        else if (edit(`Unnest ${name}`, made.value.edits)) {
          selectClips(made.value.clips.map((clip) => ({ track: main.track.id, clip })));
          const { ringing } = made.value;
          if (ringing.length > 0)
            problem(`The tail of ${quoted(ringing)}, which the nest cut off, is heard now. Undo takes it back.`);
        }
      },
      blocked ?? (main?.clip.kind === "nest" ? null : "Select a nest first"),
    ),
    action("clip-later", "Move the clips a step later", "ArrowRight", () => nudge("move", 1)),
    action("clip-earlier", "Move the clips a step earlier", "ArrowLeft", () => nudge("move", -1)),
    action("clip-start-later", "Trim the clip's start by a step", "Shift+ArrowRight", () => nudge("trim start", 1)),
    action("clip-start-earlier", "Give the clip's start a step back", "Shift+ArrowLeft", () => nudge("trim start", -1)),
    action("clip-end-earlier", "Trim the clip's end by a step", "Alt+ArrowLeft", () => nudge("trim end", -1)),
    action("clip-end-later", "Give the clip's end a step back", "Alt+ArrowRight", () => nudge("trim end", 1)),
  ];
}
