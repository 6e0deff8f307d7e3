import { formatDb } from "../../core/words/numbers";
import type { Clip, Track } from "../../core/session/document";
import type { ClipRef } from "../../core/session/move-clips";
import type { Frames } from "../../core/units";
import type { SelectedRange } from "../session/session-store";
import type { ClipDrag, Grip } from "../clips/gestures";
import type { Snap } from "../timeline/snap";

export const CURSORS: Record<Grip, string> = {
  move: "grab",
  "trim start": "w-resize",
  "trim end": "e-resize",
  stretch: "col-resize",
  "fade in": "nesw-resize",
  "fade out": "nwse-resize",
  gain: "ns-resize",
};
export const DOES: Record<Grip, string> = {
  move: "Move",
  "trim start": "Trim",
  "trim end": "Trim",
  stretch: "Stretch",
  "fade in": "Fade in",
  "fade out": "Fade out",
  gain: "Gain of",
};

/** Where a press began: its row and frame, and its place on the page in CSS pixels. */
interface Pressed {
  readonly row: number;
  readonly frame: Frames;
  readonly x: number;
  readonly y: number;
  readonly snap: Snap;
}

/** What the pointer holds over the lanes. */
export type Hold =
  | (Pressed & {
      readonly what: "clip";
      readonly drag: ClipDrag;
      /** All clips that go along. */
      readonly refs: readonly ClipRef[];
      /** The clips that the press has chosen. */
      readonly chosen: readonly ClipRef[];
      readonly wasChosen: boolean;
      readonly adding: boolean;
    })
  | (Pressed & {
      readonly what: "hand out";
      readonly track: Track;
      /** The clip whose sound is handed out; null: all that the track plays. */
      readonly clip: Clip | null;
      readonly chosen: readonly ClipRef[];
    })
  | (Pressed & { readonly what: "range" });

/** Clips as the drag would leave them, and the stretch that is being drawn. */
export interface Shown {
  readonly clips: ReadonlyMap<string, Clip>;
  readonly rows: number;
  readonly range: SelectedRange | null;
  /** What the drag does, in a number. */
  readonly says: string | null;
}

export const NOTHING: Shown = { clips: new Map(), rows: 0, range: null, says: null };

/** What a handle is set to, while it is dragged. */
export function saysOf(grip: Grip, clip: Clip, rate: number): string | null {
  if (clip.kind === "notes") return null;
  const ms = (frames: number) => `${((frames * 1000) / rate).toFixed(0)} ms`;
  switch (grip) {
    case "fade in":
      return ms(clip.fadeIn.frames);
    case "fade out":
      return ms(clip.fadeOut.frames);
    case "gain":
      return `${formatDb(clip.gainDb)} dB`;
    case "stretch":
      return clip.kind === "audio" ? `${(clip.stretch * 100).toFixed(1)} %` : null;
    default:
      return ms(clip.frames);
  }
}
