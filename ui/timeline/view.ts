import { create } from "zustand";
import type { RowSize } from "./settings";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";

/** Rows grow to fill the screen when there are few, and never shrink below what sixteen need at 800 pixels. */
export const rowHeightFor = (tracks: number, height: number, size: RowSize = "low"): number =>
  TALLER[size] * Math.max(38, Math.min(64, Math.floor(height / Math.max(1, tracks))));
const TALLER: Record<RowSize, number> = { low: 1, middle: 1.5, tall: 2.5 };
/** The ruler has a strip more for saved ranges, and one for markers, when there are any. */
export const MARK_STRIP = 16;
export const rulerHeightOf = (session: Pick<Session, "markers" | "ranges">): number =>
  30 + (session.ranges.length > 0 ? MARK_STRIP : 0) + (session.markers.length > 0 ? MARK_STRIP : 0);
export const HEAD_WIDTH = 214;
export const MAP_WIDTH = 438;

/** The stretch of the timeline that the lanes show. `framesPerPixel` 0 means: fit the whole session. */
export interface LaneView {
  readonly start: Frames;
  readonly framesPerPixel: number;
}

interface BenchView {
  readonly wanted: LaneView;
  /** Width of the lanes in pixels, and the end of the session, as last drawn. */
  readonly width: number;
  readonly end: Frames;
  readonly theme: number;
  measure(width: number, end: Frames): void;
  zoom(factor: number, atPixel?: number): void;
  scroll(pixels: number): void;
  fit(): void;
  /** Looks at a stretch, with a little room on both sides. */
  look(from: Frames, to: Frames): void;
  /** Counts theme changes, so that canvases draw again. */
  inked(): void;
}

const FIT: LaneView = { start: 0, framesPerPixel: 0 };
/** A sample is two dozen pixels wide then. */
const MIN_FRAMES_PER_PIXEL = 1 / 24;
const fitted = (width: number, end: Frames) => (end * 1.04) / Math.max(1, width);

/** Where the lanes look. Not part of the session: it is neither stored nor undone. */
export const useBenchView = create<BenchView>()((set, get) => ({
  wanted: FIT,
  width: 1,
  end: 1,
  theme: 0,
  measure: (width, end) => {
    if (width !== get().width || end !== get().end) set({ width, end });
  },
  zoom(factor, atPixel) {
    const { width, end } = get();
    const now = shownView(get());
    const at = atPixel ?? width / 2;
    const widest = fitted(width, end);
    const framesPerPixel = Math.max(MIN_FRAMES_PER_PIXEL, now.framesPerPixel / factor);
    if (framesPerPixel >= widest) return set({ wanted: FIT });
    set({
      wanted: held({ start: now.start + at * (now.framesPerPixel - framesPerPixel), framesPerPixel }, width, end),
    });
  },
  scroll(pixels) {
    const { width, end, wanted } = get();
    if (wanted.framesPerPixel === 0) return;
    set({ wanted: held({ ...wanted, start: wanted.start + pixels * wanted.framesPerPixel }, width, end) });
  },
  fit: () => set({ wanted: FIT }),
  look(from, to) {
    const { width, end } = get();
    const framesPerPixel = Math.max(
      MIN_FRAMES_PER_PIXEL,
      Math.min(fitted(width, end), ((to - from) * 1.1) / Math.max(1, width)),
    );
    set({ wanted: held({ start: from - (to - from) * 0.05, framesPerPixel }, width, end) });
  },
  inked: () => set({ theme: get().theme + 1 }),
}));

function held(view: LaneView, width: number, end: Frames): LaneView {
  const last = Math.max(0, end * 1.04 - width * view.framesPerPixel);
  return { ...view, start: Math.max(0, Math.min(last, view.start)) };
}

/** The view with "fit" resolved. */
export const shownView = ({ wanted, width, end }: Pick<BenchView, "wanted" | "width" | "end">): LaneView =>
  wanted.framesPerPixel === 0 ? { start: 0, framesPerPixel: fitted(width, end) } : wanted;

export const xOf = (view: LaneView, frame: Frames): number => (frame - view.start) / view.framesPerPixel;
export const frameAt = (view: LaneView, x: number): Frames => view.start + x * view.framesPerPixel;
