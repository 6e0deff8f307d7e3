import { isPlaced } from "../../core/session/clips";
import type { Clip, Session } from "../../core/session/document";
import type { PatchOf } from "../../core/session/records";
import type { Frames } from "../../core/units";
import type { Gesture, Point } from "../canvas/gesture";
import type { ClipDrag } from "../clips/gestures";
import { dragEdit, dragged, grab } from "../clips/gestures";
import type { Clock } from "../session/clock";
import type { Snap } from "../timeline/snap";
import type { LaneView } from "../timeline/view";
import { frameAt } from "../timeline/view";

export interface NestWorld {
  /** The nest as a session of one track, its clips where they sound on the timeline. */
  readonly inner: Session;
  /** From the nest's own time to the timeline's. */
  readonly shift: Frames;
  readonly clock: Clock;
  readonly view: LaneView;
  snapWithout(clips: ReadonlySet<string>): Snap;
}

interface NestHold {
  readonly drag: ClipDrag;
  readonly snap: Snap;
  /** Where it was pressed, in CSS pixels. */
  readonly y: number;
}

/** A change of one clip of the nest, in the nest's own time. */
export interface NestDone {
  readonly label: string;
  readonly id: string;
  readonly patch: PatchOf<"clips">;
}

/** What a pointer would take hold of in a nest. */
export const grabIn = ({ inner, clock, view }: NestWorld, { x, y, copies }: Point): ClipDrag | null =>
  grab(inner, clock, { row: 0, y, frame: frameAt(view, x) }, view.framesPerPixel, copies);

/** Clips of a nest moved, trimmed, faded, stretched and levelled, as on the lanes. */
export function nestGesture(world: NestWorld): Gesture<NestHold, Clip, NestDone> {
  const { inner, shift, clock, view } = world;
  const after = ({ drag, snap, y }: NestHold, point: Point): Clip => {
    const made = dragged(drag, inner, clock, frameAt(view, point.x), point.free ? null : snap, y - point.y);
    // Nothing lies before a nest's own zero.
    return isPlaced(made) ? { ...made, start: Math.max(shift, made.start) } : made;
  };
  return {
    begin(point) {
      const drag = grabIn(world, point);
      return drag && { drag, snap: world.snapWithout(new Set([drag.clip.id])), y: point.y };
    },
    move: after,
    end(hold, point, moved) {
      const { clip, track } = hold.drag;
      const end = after(hold, point);
      const made = moved ? dragEdit(clip, end, track) : null;
      if (made?.do !== "set") return null;
      const label = `${clip.start === end.start ? "Change" : "Move"} ${end.name || "a clip"}`;
      return { label, id: end.id, patch: { ...made.patch, start: end.start - shift } };
    },
  };
}
