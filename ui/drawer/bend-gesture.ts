import { TimeMap } from "../../core/session/bend";
import { moveMark, withPitch } from "../../core/session/bend-edits";
import type { AudioClip } from "../../core/session/document";
import type { Frames } from "../../core/units";
import type { Gesture, Point } from "../canvas/gesture";
import type { Clock } from "../session/clock";
import type { Grid } from "../timeline/settings";
import { snapFrame } from "../timeline/snap";
import type { LaneView } from "../timeline/view";
import { frameAt } from "../timeline/view";

/** The strip at the upper edge where time markers stand, in CSS pixels. */
export const STRIP_PX = 18;
/** Pitch is kept clear of the upper and lower edge by so much. */
const MARGIN_PX = 10;
/** The line of pitch shows at least so much up and down, in cents. */
const LEAST_CENTS = 300;
const MOST_CENTS = 2400;
/** Cents that a hand can set. */
const HAND_CENTS = 5;

/** A time marker or a point of pitch, by its place in the recording. */
export interface BendHandle {
  readonly what: "mark" | "pitch";
  readonly at: Frames;
}

export interface BendWorld {
  readonly clip: AudioClip;
  /** Length of the clip's recording. */
  readonly audio: Frames;
  readonly clock: Clock;
  readonly view: LaneView;
  readonly grid: Grid;
  /** Height of the picture, strip included, in CSS pixels. */
  readonly height: number;
}

export type BendDone =
  | { readonly do: "move mark"; readonly at: Frames; readonly to: Frames }
  | { readonly do: "move pitch"; readonly was: Frames; readonly at: Frames; readonly cents: number };

/** Cents between the middle line and the upper edge: as many as the line of pitch needs. */
export const centsShown = ({ pitchLine }: Pick<AudioClip, "pitchLine">): number =>
  Math.max(LEAST_CENTS, ...pitchLine.map((p) => 100 * Math.ceil(Math.abs(p.cents) / 100) + 100));

const halfOf = (height: number) => (height - STRIP_PX) / 2;

/** The height at which cents are drawn, in CSS pixels. */
export const yOfCents = (cents: number, shown: number, height: number): number =>
  STRIP_PX + halfOf(height) - (cents / shown) * (halfOf(height) - MARGIN_PX);

/** What is under a point: the frame of the timeline, on the grid and not, and the cents. */
export function bendPlace({ clip, clock, view, grid, height }: BendWorld, { x, y, free }: Point) {
  const frame = frameAt(view, x);
  const half = halfOf(height);
  const exact = ((STRIP_PX + half - y) / (half - MARGIN_PX)) * centsShown(clip);
  const cents = Math.round(exact / HAND_CENTS) * HAND_CENTS;
  return {
    frame,
    snapped: snapFrame(clock, frame, free ? null : { grid, targets: [], reach: 0 }),
    cents: Math.max(-MOST_CENTS, Math.min(MOST_CENTS, cents)),
  };
}

/** The place in the recording that is heard at a frame of the timeline. */
export function heardAt({ clip, audio }: Pick<BendWorld, "clip" | "audio">, frame: Frames): Frames {
  const within = new TimeMap(audio, clip).toRecording(frame - clip.start + clip.offset);
  return Math.max(0, Math.min(audio, Math.round(within)));
}

/** Time markers pulled sideways, points of pitch anywhere; what is shown is the clip as it would be. */
export function bendGesture(world: BendWorld): Gesture<BendHandle, AudioClip, BendDone, BendHandle> {
  const { clip, audio } = world;
  const pulled = ({ what, at }: BendHandle, point: Point): AudioClip => {
    const place = bendPlace(world, point);
    if (what === "mark") {
      const index = clip.timeMarks.findIndex((m) => m.at === at);
      return { ...clip, ...moveMark(clip, audio, index, place.snapped - clip.start + clip.offset) };
    }
    const rest = clip.pitchLine.filter((p) => p.at !== at);
    return { ...clip, pitchLine: [...withPitch(rest, heardAt(world, place.frame), place.cents)] };
  };
  return {
    begin: (_, handle) => handle,
    move: pulled,
    end(handle, point, moved) {
      if (!moved) return null;
      if (handle.what === "mark") {
        const to = pulled(handle, point).timeMarks.find((m) => m.at === handle.at)?.to;
        return to === undefined ? null : { do: "move mark", at: handle.at, to };
      }
      const { frame, cents } = bendPlace(world, point);
      return { do: "move pitch", was: handle.at, at: heardAt(world, frame), cents };
    },
  };
}
