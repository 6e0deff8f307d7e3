import { roundDb } from "../../core/words/numbers";
import { stretchedFrames } from "../../core/session/bend";
import { clipSpan } from "../../core/session/clips";
import { materialFrames } from "../../core/session/clip-edits";
import type { AudioClip, Clip, PlacedClip, Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { Frames, Ticks } from "../../core/units";
import type { Clock } from "../session/clock";
import { stretchedClip } from "./stretched-clip";
import type { Snap } from "../timeline/snap";
import { snapFrame, snapTick } from "../timeline/snap";

/** What a drag of a clip changes. `gain` goes up and down, all others sideways. */
export type Grip = "move" | "trim start" | "trim end" | "fade in" | "fade out" | "gain" | "stretch";

/** A drag of one clip, from the frame where it was grabbed. */
export interface ClipDrag {
  readonly grip: Grip;
  readonly track: string;
  readonly clip: Clip;
  readonly grabbed: Frames;
}

/** Where a pointer is. `y` counts from the row's upper edge. */
export interface Pointer {
  readonly row: number;
  readonly frame: Frames;
  readonly y?: number;
}

const EDGE_PX = 7;
/** The strip along a clip's upper edge where its handles are. */
export const HANDLE_PX = 12;
/** Decibels to a pixel of dragging a gain. */
const DB_PER_PX = 0.25;

/** Where a clip's handles stand, in pixels from its left edge; null where it is too narrow for them. */
export function handlesOf(
  clip: PlacedClip,
  framesPerPixel: number,
): { readonly fadeIn: number; readonly gain: number; readonly fadeOut: number } | null {
  const width = clip.frames / framesPerPixel;
  if (width < 44) return null;
  const fadeIn = Math.max(5, Math.min(width - 5, clip.fadeIn.frames / framesPerPixel));
  const fadeOut = Math.max(5, Math.min(width - 5, width - clip.fadeOut.frames / framesPerPixel));
  return { fadeIn, gain: width / 2, fadeOut };
}

/**
 * What a pointer would take hold of: the clip that sounds there, by its middle, an edge or a handle. `stretching`: its
 * end as a stretch.
 */
export function grab(
  session: Session,
  clock: Clock,
  at: Pointer,
  framesPerPixel: number,
  stretching = false,
): ClipDrag | null {
  const track = session.tracks[at.row];
  if (!track) return null;
  const { frame } = at;
  const edge = EDGE_PX * framesPerPixel;
  const found = track.clips.filter((c) => {
    const { from, to } = clipSpan(c, clock.tempo);
    return frame >= from - edge / 2 && frame <= to + edge / 2;
  });
  const clip = found.reduce<Clip | null>((best, c) => (!best || c.start > best.start ? c : best), null);
  if (!clip) return null;
  const { from, to } = clipSpan(clip, clock.tempo);
  const reach = Math.min(edge, (to - from) / 3);
  return {
    grip:
      handleAt(clip, at, framesPerPixel) ??
      (frame < from + reach
        ? "trim start"
        : frame > to - reach
          ? stretching && clip.kind === "audio"
            ? "stretch"
            : "trim end"
          : "move"),
    track: track.id,
    clip,
    grabbed: frame,
  };
}

function handleAt(clip: Clip, { frame, y }: Pointer, framesPerPixel: number): Grip | null {
  if (clip.kind === "notes" || y === undefined || y > HANDLE_PX) return null;
  const handles = handlesOf(clip, framesPerPixel);
  if (!handles) return null;
  const x = (frame - clip.start) / framesPerPixel;
  const near = (["fadeIn", "fadeOut", "gain"] as const).find((h) => Math.abs(x - handles[h]) <= EDGE_PX);
  return near === "fadeIn" ? "fade in" : near === "fadeOut" ? "fade out" : (near ?? null);
}

/**
 * The clip as it would be after dragging to `frame`, and `up` pixels up. Lengths never fall below a 64th of a second or
 * a 32nd note.
 */
export function dragged(
  drag: ClipDrag,
  session: Session,
  clock: Clock,
  frame: Frames,
  snap: Snap | null,
  up = 0,
): Clip {
  const { clip, grip } = drag;
  const { from, to } = clipSpan(clip, clock.tempo);
  const moved = frame - drag.grabbed;
  if (clip.kind === "notes") {
    const tickOf = (f: Frames) => snapTick(clock, clock.tempo.toTicks(Math.max(0, Math.round(f))), snap);
    if (grip === "move") return { ...clip, start: tickOf(from + moved) };
    const shortest: Ticks = 120;
    if (grip === "trim end") return { ...clip, ticks: Math.max(shortest, tickOf(to + moved) - clip.start) };
    if (grip !== "trim start") return clip;
    const end = clip.start + clip.ticks;
    const start = Math.min(end - shortest, Math.max(clip.start - clip.offset, tickOf(from + moved)));
    return { ...clip, start, offset: clip.offset + start - clip.start, ticks: end - start };
  }
  const snapped = (f: Frames) => snapFrame(clock, f, snap);
  const shortest = Math.round(session.rate / 64);
  const within = (f: number, most: number) => Math.max(0, Math.min(most, Math.round(f)));
  switch (grip) {
    case "move":
      return { ...clip, start: snapped(from + moved) };
    case "fade in":
      return { ...clip, fadeIn: { ...clip.fadeIn, frames: within(frame - from, clip.frames - clip.fadeOut.frames) } };
    case "fade out":
      return { ...clip, fadeOut: { ...clip.fadeOut, frames: within(to - frame, clip.frames - clip.fadeIn.frames) } };
    case "gain":
      return { ...clip, gainDb: Math.max(-144, Math.min(24, roundDb(clip.gainDb + up * DB_PER_PX))) };
    case "stretch":
      return clip.kind === "audio" ? stretchTo(clip, session, Math.max(shortest, snapped(to + moved) - from)) : clip;
    case "trim end":
      return cut(
        clip,
        clip.start,
        Math.max(
          clip.start + shortest,
          Math.min(clip.start + materialFrames(session, clip) - clip.offset, snapped(to + moved)),
        ),
      );
    case "trim start":
      return cut(clip, Math.min(to - shortest, Math.max(clip.start - clip.offset, snapped(from + moved))), to);
  }
}

function cut(clip: PlacedClip, start: Frames, end: Frames): Clip {
  const frames = end - start;
  const fadeIn = { ...clip.fadeIn, frames: Math.min(clip.fadeIn.frames, frames) };
  return {
    ...clip,
    start,
    frames,
    offset: clip.offset + start - clip.start,
    fadeIn,
    fadeOut: { ...clip.fadeOut, frames: Math.min(clip.fadeOut.frames, frames - fadeIn.frames) },
  };
}

/** The same audio over another length, as far as stretching goes. */
function stretchTo(clip: AudioClip, session: Session, frames: Frames): Clip {
  const audio =
    session.assets.find((a) => a.id === clip.asset)?.frames ??
    stretchedFrames(clip.frames, { stretch: 1 / clip.stretch, timeMarks: [] });
  const stretch = Math.max(0.25, Math.min(4, (clip.stretch * frames) / clip.frames));
  return { ...clip, ...stretchedClip(clip, Math.round(stretch * 10000) / 10000, audio) };
}

/** The one edit a drag ends in; null when nothing moved. */
export function dragEdit(before: Clip, after: Clip, track: string): Edit | null {
  const changed = Object.entries(after).filter(
    ([key, value]) => JSON.stringify(value) !== JSON.stringify(before[key as keyof Clip]),
  );
  return changed.length === 0
    ? null
    : { do: "set", in: "clips", track, id: after.id, patch: Object.fromEntries(changed) };
}
