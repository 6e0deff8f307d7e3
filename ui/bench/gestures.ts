import { clipSpan, stretchedFrames } from "../../core/session/clips";
import type { Clip, PlacedClip, Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import type { Frames, Ticks } from "../../core/units";
import type { Clock } from "../session/clock";

export type Grip = "move" | "trim start" | "trim end";

/** A drag of one clip, from the frame where it was grabbed. */
export interface ClipDrag {
  readonly grip: Grip;
  readonly track: string;
  readonly clip: Clip;
  readonly grabbed: Frames;
}

const EDGE_PX = 7;

/** What a pointer at `frame` in a row would take hold of: the clip that sounds there, by its middle or an edge. */
export function grab(session: Session, clock: Clock, row: number, frame: Frames, framesPerPixel: number): ClipDrag | null {
  const track = session.tracks[row];
  if (!track) return null;
  const edge = EDGE_PX * framesPerPixel;
  const found = track.clips.filter((c) => {
    const { from, to } = clipSpan(c, clock.tempo);
    return frame >= from - edge / 2 && frame <= to + edge / 2;
  });
  const clip = found.reduce<Clip | null>((best, c) => (!best || c.start > best.start ? c : best), null);
  if (!clip) return null;
  const { from, to } = clipSpan(clip, clock.tempo);
  const reach = Math.min(edge, (to - from) / 3);
  const grip: Grip = frame < from + reach ? "trim start" : frame > to - reach ? "trim end" : "move";
  return { grip, track: track.id, clip, grabbed: frame };
}

/** Nearest grid line, or the tick itself when snapping is off. */
export function snapTick(clock: Clock, tick: Ticks, snap: boolean): Ticks {
  if (!snap) return Math.max(0, Math.round(tick));
  const { bar, beat, tick: into } = clock.meter.position(Math.max(0, tick));
  const beatTicks = clock.meter.beatTicks(Math.max(0, tick));
  return clock.meter.barToTick(bar) + (beat - 1) * beatTicks + Math.round(into / beatTicks) * beatTicks;
}

/** The clip as it would be after dragging to `frame`. Lengths never fall below a 64th of a second or a 32nd note. */
export function dragged(drag: ClipDrag, session: Session, clock: Clock, frame: Frames, snap: boolean): Clip {
  const { clip, grip } = drag;
  const { from, to } = clipSpan(clip, clock.tempo);
  const moved = frame - drag.grabbed;
  if (clip.kind === "notes") {
    const tickOf = (f: Frames) => snapTick(clock, clock.tempo.toTicks(Math.max(0, Math.round(f))), snap);
    if (grip === "move") return { ...clip, start: tickOf(from + moved) };
    const shortest = 120;
    if (grip === "trim end") return { ...clip, ticks: Math.max(shortest, tickOf(to + moved) - clip.start) };
    const end = clip.start + clip.ticks;
    const start = Math.min(end - shortest, Math.max(clip.start - clip.offset, tickOf(from + moved)));
    return { ...clip, start, offset: clip.offset + start - clip.start, ticks: end - start };
  }
  const snapped = (f: Frames) => (snap ? clock.tempo.toFrames(snapTick(clock, clock.tempo.toTicks(Math.max(0, Math.round(f))), true)) : Math.max(0, Math.round(f)));
  if (grip === "move") return { ...clip, start: snapped(from + moved) };
  const available = materialFrames(session, clip);
  const shortest = Math.round(session.rate / 64);
  const cut = (start: Frames, end: Frames): Clip => {
    const frames = end - start;
    const fadeIn = { ...clip.fadeIn, frames: Math.min(clip.fadeIn.frames, frames) };
    return {
      ...clip, start, frames, offset: clip.offset + start - clip.start, fadeIn,
      fadeOut: { ...clip.fadeOut, frames: Math.min(clip.fadeOut.frames, frames - fadeIn.frames) },
    };
  };
  if (grip === "trim end") return cut(clip.start, Math.max(clip.start + shortest, Math.min(clip.start + available - clip.offset, snapped(to + moved))));
  return cut(Math.min(to - shortest, Math.max(clip.start - clip.offset, snapped(from + moved))), to);
}

/** How many frames a clip could show: all of its audio as stretched, or a nest to the end of its last child. */
function materialFrames(session: Session, clip: PlacedClip): Frames {
  if (clip.kind === "nest") return Math.max(clip.offset + clip.frames, ...clip.children.map((child) => child.start + child.frames));
  const asset = session.assets.find((a) => a.id === clip.asset);
  return asset ? stretchedFrames(asset.frames, clip.stretch) : clip.offset + clip.frames;
}

/** The one edit a drag ends in; null when nothing moved. */
export function dragEdit(before: Clip, after: Clip, track: string): Edit | null {
  const changed = Object.entries(after).filter(([key, value]) => JSON.stringify(value) !== JSON.stringify(before[key as keyof Clip]));
  return changed.length === 0 ? null : { do: "set", in: "clips", track, id: after.id, patch: Object.fromEntries(changed) };
}
