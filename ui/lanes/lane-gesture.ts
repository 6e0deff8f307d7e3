import type { Slip } from "../../core/printing/slip";
import { clipSpan } from "../../core/session/clips";
import type { Clip, Session, Track } from "../../core/session/document";
import type { Edit, Step } from "../../core/session/edits";
import { frozenClipStep } from "../../core/session/frozen-copy";
import { importStep, takesAudio } from "../../core/session/import";
import type { ClipRef } from "../../core/session/move-clips";
import { clipsOf, clipsWithin, copyClips, heldShift, moveClips, rowsFit, shifted } from "../../core/session/move-clips";
import type { Frames } from "../../core/units";
import type { Gesture, Point } from "../canvas/gesture";
import type { ClipDrag, Pointer } from "../clips/gestures";
import { dragged, grab } from "../clips/gestures";
import { barText, type Clock } from "../session/clock";
import type { SelectedRange } from "../session/session-store";
import { trackName } from "../session/track-state";
import type { Snap } from "../timeline/snap";
import { snapFrame } from "../timeline/snap";
import type { LaneView } from "../timeline/view";
import { frameAt } from "../timeline/view";
import type { Hold, Shown } from "./hold";
import { DOES, NOTHING, saysOf } from "./hold";

type PadPlace = NonNullable<Slip["pad"]>;

/** Straight down: moved sideways by less, frozen audio stays where it sounds. */
const STRAIGHT_PX = 4;

export interface LaneWorld {
  readonly whole: Session;
  /** The session with the tracks that have a row on the Bench, and with those that have one here. */
  readonly rows: Session;
  readonly shown: Session;
  readonly clock: Clock;
  readonly view: LaneView;
  /** CSS pixels. */
  readonly rowHeight: number;
  readonly scrollTop: number;
  /** Whether clips can be moved to other rows. */
  readonly acrossRows: boolean;
  readonly chosen: readonly ClipRef[];
  snapWithout(clips: ReadonlySet<string>): Snap;
  /** The pad of an open kit under the pointer. */
  padAt(point: Point): PadPlace | null;
  newId(): string;
}

/** What a gesture on the lanes comes to. */
export type LaneDone =
  | { readonly do: "choose"; readonly tracks: readonly string[] }
  | { readonly do: "choose range"; readonly range: SelectedRange; readonly clips: readonly ClipRef[] }
  | { readonly do: "choose clips"; readonly clips: readonly ClipRef[] }
  | {
      readonly do: "print onto pad";
      readonly pad: PadPlace;
      readonly name: string;
      readonly slip: Pick<Slip, "tracks"> & Partial<Slip>;
    }
  | { readonly do: "tell frozen"; readonly track: Track }
  | { readonly do: "tell silent" }
  | { readonly do: "take"; readonly step: Step }
  | {
      readonly do: "edit";
      readonly label: string;
      readonly edits: readonly Edit[];
      readonly choose: readonly ClipRef[] | null;
    }
  | {
      readonly do: "shape";
      readonly label: string;
      readonly drag: ClipDrag;
      readonly after: Clip;
      /** Exactly where it was let go. */
      readonly free: boolean;
    };

type Held<W extends Hold["what"]> = Extract<Hold, { readonly what: W }>;

/** The row under a point, the frame, and how far below the row's upper edge it is. */
export const pointerOf = ({ view, rowHeight, scrollTop }: LaneWorld, { x, y }: Point): Required<Pointer> => {
  const down = y + scrollTop;
  return { row: Math.floor(down / rowHeight), y: down % rowHeight, frame: frameAt(view, x) };
};

/** Clips dragged, shaped, copied and handed to pads; stretches drawn where no clip is. */
export function laneGesture(world: LaneWorld): Gesture<Hold, Shown, LaneDone> {
  return {
    begin(point) {
      const pointer = pointerOf(world, point);
      const place = { row: pointer.row, frame: pointer.frame, x: point.page.x, y: point.page.y };
      const track = world.shown.tracks[pointer.row];
      const found = track && grab(world.shown, world.clock, pointer, world.view.framesPerPixel, point.copies);
      if (!track || !found) return { what: "range", snap: world.snapWithout(new Set()), ...place };
      const ref = { track: track.id, clip: found.clip.id };
      const adding = point.shift || point.copies;
      const wasChosen = world.chosen.some((c) => c.clip === ref.clip);
      const chosen = wasChosen
        ? [...world.chosen.filter((c) => c.clip !== ref.clip), ref]
        : adding && found.grip === "move"
          ? [...world.chosen, ref]
          : [ref];
      // A frozen track's clips stay where they are; what it plays can be handed to another track.
      if (track.frozen) {
        const clip = point.shift ? null : found.clip;
        return { what: "hand out", track, clip, chosen, snap: world.snapWithout(new Set()), ...place };
      }
      const refs = found.grip === "move" ? chosen : [ref];
      const snap = world.snapWithout(new Set(chosen.map((r) => r.clip)));
      return { what: "clip", drag: found, refs, chosen, snap, wasChosen, adding, ...place };
    },
    move(hold, point) {
      if (hold.what === "range") return { ...NOTHING, range: rangeTo(world, hold, point) };
      const pad = padUnder(world, hold, point);
      if (pad) return { ...NOTHING, says: `printed onto pad ${pad.pad + 1}` };
      return hold.what === "hand out" ? shownHandOut(world, hold, point) : shownClips(world, hold, point);
    },
    end(hold, point, moved) {
      const pad = moved ? padUnder(world, hold, point) : null;
      if (pad && hold.what !== "range") return ontoPad(world, hold, pad);
      if (hold.what === "range") return endRange(world, hold, point, moved);
      return hold.what === "hand out" ? endHandOut(world, hold, point, moved) : endClips(world, hold, point, moved);
    },
  };
}

/** What is selected, and what the context menu is about, after a press with the right button. */
export type RightPress =
  | { readonly kind: "range"; readonly select: "nothing" }
  | { readonly kind: "clip"; readonly select: "nothing" }
  | { readonly kind: "clip"; readonly select: "clips"; readonly clips: readonly ClipRef[] }
  | { readonly kind: "track" | "session"; readonly select: "tracks"; readonly tracks: readonly string[] };

/** In the chosen range it is about that; on a clip about it and all that are chosen with it; else about the track. */
export function afterRightPress(world: LaneWorld, point: Point, range: SelectedRange | null): RightPress {
  const pointer = pointerOf(world, point);
  const track = world.shown.tracks[pointer.row];
  const isInRange =
    range && track && range.tracks.includes(track.id) && pointer.frame >= range.from && pointer.frame < range.to;
  if (isInRange) return { kind: "range", select: "nothing" };
  const found = track && grab(world.shown, world.clock, pointer, world.view.framesPerPixel);
  if (found)
    return world.chosen.some((c) => c.clip === found.clip.id)
      ? { kind: "clip", select: "nothing" }
      : { kind: "clip", select: "clips", clips: [{ track: track.id, clip: found.clip.id }] };
  return track
    ? { kind: "track", select: "tracks", tracks: [track.id] }
    : { kind: "session", select: "tracks", tracks: [] };
}

function rangeTo(world: LaneWorld, from: Held<"range">, point: Point): SelectedRange | null {
  const { shown, clock } = world;
  const to = pointerOf(world, point);
  const snap = point.free ? null : from.snap;
  const [a, b] = [snapFrame(clock, from.frame, snap), snapFrame(clock, to.frame, snap)];
  const last = Math.max(0, Math.min(shown.tracks.length - 1, to.row));
  const tracks = shown.tracks.slice(Math.min(from.row, last), Math.max(from.row, last) + 1).map((t) => t.id);
  return a === b ? null : { from: Math.min(a, b), to: Math.max(a, b), tracks };
}

function endRange(world: LaneWorld, hold: Held<"range">, point: Point, moved: boolean): LaneDone {
  const range = moved ? rangeTo(world, hold, point) : null;
  if (!range) {
    const track = world.shown.tracks[hold.row];
    return { do: "choose", tracks: track ? [track.id] : [] };
  }
  const clips = clipsWithin(world.shown, new Set(range.tracks), range.from, range.to, world.clock.tempo);
  return { do: "choose range", range, clips };
}

/** Where audio dragged off the lanes would be printed. */
function padUnder(world: LaneWorld, hold: Hold, point: Point): PadPlace | null {
  const canBePrinted = hold.what === "hand out" || (hold.what === "clip" && hold.drag.grip === "move");
  return canBePrinted ? world.padAt(point) : null;
}

function ontoPad(world: LaneWorld, hold: Held<"clip" | "hand out">, pad: PadPlace): LaneDone {
  if (hold.what === "clip")
    return {
      do: "print onto pad",
      pad,
      name: nameOf(hold),
      slip: {
        tracks: [...new Set(hold.refs.map((r) => r.track))],
        clips: hold.refs.map((r) => r.clip),
        range: { by: "own" },
        pieces: hold.refs.length > 1 ? "each clip" : "one piece",
        name: "{clip}",
      },
    };
  const { track, clip } = hold;
  const span = clip && clipSpan(clip, world.clock.tempo);
  return {
    do: "print onto pad",
    pad,
    name: clip?.name || trackName(track),
    slip: {
      tracks: [track.id],
      // A trimmed copy of what the track plays there.
      ...(span ? { range: { by: "stretch", ...span }, tail: "none", name: clip.name || "{track}" } : {}),
    },
  };
}

/** Where frozen audio would go: the track under the pointer, or null for a new one, and where it would begin. */
function handedTo(world: LaneWorld, hold: Held<"hand out">, point: Point): { target: Track | null; start: Frames } {
  const { shown, clock } = world;
  const to = pointerOf(world, point);
  const under = shown.tracks[to.row];
  const own = hold.clip ? clipSpan(hold.clip, clock.tempo).from : 0;
  const isStraight = Math.abs(point.page.x - hold.x) < STRAIGHT_PX;
  const start = isStraight
    ? own
    : snapFrame(clock, Math.max(0, own + to.frame - hold.frame), point.free ? null : hold.snap);
  return { target: under && (takesAudio(under) || under.id === hold.track.id) ? under : null, start };
}

function shownHandOut(world: LaneWorld, hold: Held<"hand out">, point: Point): Shown {
  const { target, start } = handedTo(world, hold, point);
  const what = hold.clip?.name || trackName(hold.track);
  const onto = target ? `onto ${trackName(target)}` : "onto a new track";
  return { ...NOTHING, says: `the frozen audio of ${what} ${onto}, ${barText(world.clock, start)}` };
}

function endHandOut(world: LaneWorld, hold: Held<"hand out">, point: Point, moved: boolean): LaneDone | null {
  const { whole, clock, newId } = world;
  const { track, clip } = hold;
  const { target, start } = handedTo(world, hold, point);
  if (!moved || target?.id === track.id) return { do: "tell frozen", track };
  const asset = whole.assets.find((a) => a.id === track.frozen?.asset);
  if (!asset) return null;
  const onto = target?.id ?? track.id;
  if (clip) {
    const step = frozenClipStep(whole, { asset, clip, track: onto }, start, clock.tempo, newId);
    return step ? { do: "take", step } : { do: "tell silent" };
  }
  const step = importStep(whole, [{ asset, timeReference: null }], { by: "frame", frame: start, track: onto }, newId);
  return { do: "take", step: { ...step, label: `Copy the frozen audio of ${trackName(track)}` } };
}

/** The clip that was pressed as the drag leaves it, and how far all go with it. */
function carried(world: LaneWorld, hold: Held<"clip">, point: Point): { after: Clip; by: Frames; down: number } {
  const { shown, clock, acrossRows } = world;
  const to = pointerOf(world, point);
  const after = dragged(hold.drag, shown, clock, to.frame, point.free ? null : hold.snap, hold.y - point.page.y);
  const by = clipSpan(after, clock.tempo).from - clipSpan(hold.drag.clip, clock.tempo).from;
  return { after, by, down: hold.drag.grip === "move" && acrossRows ? to.row - hold.row : 0 };
}

function shownClips(world: LaneWorld, hold: Held<"clip">, point: Point): Shown {
  const { whole, clock } = world;
  const { after, by, down } = carried(world, hold, point);
  const { grip } = hold.drag;
  if (grip !== "move")
    return { ...NOTHING, clips: new Map([[after.id, after]]), says: saysOf(grip, after, whole.rate) };
  const clips = clipsOf(world.rows, hold.refs).map((c) => c.clip);
  const shift = heldShift(clips, by, clock.tempo);
  return {
    ...NOTHING,
    clips: new Map(clips.map((c) => [c.id, shifted(c, shift, clock.tempo)])),
    rows: down !== 0 && rowsFit(world.rows, hold.refs, down) ? down : 0,
    says: `${barText(clock, clipSpan(after, clock.tempo).from)}${point.copies ? ", a copy" : ""}`,
  };
}

function endClips(world: LaneWorld, hold: Held<"clip">, point: Point, moved: boolean): LaneDone | null {
  const { drag, refs, adding, wasChosen } = hold;
  if (!moved) {
    const pressed = { track: drag.track, clip: drag.clip.id };
    if (!adding) return { do: "choose clips", clips: [pressed] };
    return wasChosen ? { do: "choose clips", clips: world.chosen.filter((c) => c.clip !== pressed.clip) } : null;
  }
  const { after, by, down } = carried(world, hold, point);
  const name = nameOf(hold);
  if (drag.grip !== "move") return { do: "shape", label: `${DOES[drag.grip]} ${name}`, drag, after, free: point.free };
  const made = point.copies
    ? copyClips(world.rows, refs, by, down, world.clock.tempo, world.newId)
    : moveClips(world.rows, refs, by, down, world.clock.tempo);
  return { do: "edit", label: `${point.copies ? "Copy" : "Move"} ${name}`, edits: made.edits, choose: made.refs };
}

const nameOf = ({ refs, drag }: Held<"clip">): string =>
  refs.length > 1 ? `${refs.length} clips` : drag.clip.name || "a clip";
