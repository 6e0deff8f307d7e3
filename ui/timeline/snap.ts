import { onsetsInClip } from "../../core/session/slice";
import { clipSpan } from "../../core/session/clips";
import type { Session } from "../../core/session/document";
import type { Frames, Ticks } from "../../core/units";
import type { Clock } from "../session/clock";
import type { BenchSettings, Grid } from "./settings";

/** What places hold on to while something is dragged: a grid, and other places within reach, which win over it. */
export interface Snap {
  readonly grid: Grid;
  /** Rising. */
  readonly targets: readonly Frames[];
  readonly reach: Frames;
}

const PARTS: Readonly<Record<Exclude<Grid, "bar" | "none">, number>> = { beat: 1, "1/2": 2, "1/3": 3, "1/4": 4 };

/** The nearest line of the grid; without a grid the nearest whole tick. */
export function gridTick(clock: Clock, tick: Ticks, grid: Grid): Ticks {
  const at = Math.max(0, tick);
  if (grid === "none") return Math.round(at);
  const { bar, beat, tick: into } = clock.meter.position(at);
  const start = clock.meter.barToTick(bar);
  if (grid === "bar") {
    const next = clock.meter.barToTick(bar + 1);
    return Math.max(0, at - start < next - at ? start : next);
  }
  const beatTicks = clock.meter.beatTicks(at);
  const line = beatTicks / PARTS[grid];
  return Math.max(0, Math.round(start + (beat - 1) * beatTicks + Math.round(into / line) * line));
}

/** A frame moved to what it holds on to; without a snap the nearest frame. */
export function snapFrame(clock: Clock, frame: Frames, snap: Snap | null): Frames {
  const at = Math.max(0, Math.round(frame));
  if (!snap) return at;
  const near = nearest(snap.targets, at);
  if (near !== null && Math.abs(near - at) <= snap.reach) return near;
  return snap.grid === "none" ? at : clock.tempo.toFrames(gridTick(clock, clock.tempo.toTicks(at), snap.grid));
}

export function snapTick(clock: Clock, tick: Ticks, snap: Snap | null): Ticks {
  if (!snap) return Math.max(0, Math.round(tick));
  const frame = clock.tempo.toFrames(Math.max(0, Math.round(tick)));
  const near = nearest(snap.targets, frame);
  if (near !== null && Math.abs(near - frame) <= snap.reach) return Math.round(clock.tempo.toTicks(near));
  return gridTick(clock, tick, snap.grid);
}

function nearest(rising: readonly Frames[], at: Frames): Frames | null {
  let low = 0;
  let high = rising.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((rising[middle] as number) < at) low = middle + 1;
    else high = middle;
  }
  const [before, after] = [rising[low - 1], rising[low]];
  if (before === undefined) return after ?? null;
  return after === undefined || at - before <= after - at ? before : after;
}

/** Places that can be held on to beside the grid, as the settings want them; of the clips in `leaveOut` none. */
export function snapTargets(
  session: Session,
  clock: Clock,
  settings: Pick<BenchSettings, "toClips" | "toOnsets">,
  onsets: (asset: string) => readonly Frames[],
  leaveOut: ReadonlySet<string>,
): readonly Frames[] {
  const places = [
    ...session.markers.map((m) => clock.tempo.toFrames(m.tick)),
    ...session.ranges.flatMap((r) => [clock.tempo.toFrames(r.from), clock.tempo.toFrames(r.to)]),
  ];
  for (const track of session.tracks) {
    for (const clip of track.clips) {
      if (leaveOut.has(clip.id)) continue;
      const { from, to } = clipSpan(clip, clock.tempo);
      if (settings.toClips) places.push(from, to);
      if (!settings.toOnsets || clip.kind !== "audio") continue;
      const frames = session.assets.find((a) => a.id === clip.asset)?.frames ?? 0;
      places.push(...onsetsInClip(clip, onsets(clip.asset), frames));
    }
  }
  return places.sort((a, b) => a - b);
}
