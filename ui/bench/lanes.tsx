"use client";

import { useEffect, useReducer, useRef, useState, type MouseEvent, type PointerEvent, type RefObject } from "react";
import { toast } from "sonner";
import type { Clip } from "../../core/session/document";
import { usePlayback, usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { useImport } from "../import/store";
import { drawLanes } from "./draw-lanes";
import { drawRuler } from "./draw-ruler";
import type { ClipDrag, Grip } from "./gestures";
import { dragEdit, dragged, grab, snapTick } from "./gestures";
import { readInks } from "./inks";
import type { Inks } from "./inks";
import { onOverview } from "./overviews";
import { Playhead } from "./playhead";
import { RULER_HEIGHT, frameAt, shownView, useBenchView, xOf } from "./view";

/** A session with little in it is shown as if it had this many bars: room to put things. */
const FEWEST_BARS = 16;
/** A press that moves less is no drag. */
const DRAG_PX = 4;
const CURSORS: Record<Grip, string> = { move: "grab", "trim start": "w-resize", "trim end": "e-resize" };

/** Sizes a canvas to its box at the screen's resolution and returns its context, scaled to CSS pixels. */
function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D | null {
  const scale = devicePixelRatio;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const context = canvas.getContext("2d");
  context?.setTransform(scale, 0, 0, scale, 0, 0);
  return context;
}

/** Inks read once a theme; they cost a style computation. */
function useInks(theme: number) {
  const inks = useRef<{ theme: number; inks: Inks } | null>(null);
  return (context: CanvasRenderingContext2D): Inks => {
    if (inks.current?.theme !== theme) inks.current = { theme, inks: readInks(context) };
    return inks.current.inks;
  };
}

/** Counts whenever something outside React's sight asks for a new drawing: overviews that came, fonts that loaded. */
function useRedraw(): number {
  const [count, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    void document.fonts.ready.then(redraw);
    return onOverview(redraw);
  }, []);
  return count;
}

export function Ruler({ width }: { readonly width: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const bench = useBenchView();
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const playback = usePlaybackStore();
  const marked = usePlayback((p) => ({ stretch: p.stretch, looping: p.looping, mark: p.mark }));
  /** A press on the ruler, and where it has been dragged to. */
  const [pressed, setPressed] = useState<{ readonly x: number; readonly from: number; readonly to: number | undefined } | null>(null);
  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, RULER_HEIGHT);
    if (context) drawRuler(context, session, clockOf(session), shownView(bench), width, RULER_HEIGHT, inksOf(context));
  }, [session, bench, width, redraw, inksOf]);
  const clock = clockOf(session);
  const view = shownView(bench);
  const frameOf = (event: PointerEvent) => Math.max(0, frameAt(view, event.clientX - event.currentTarget.getBoundingClientRect().left));
  const snapped = (frame: number, event: PointerEvent) => clock.tempo.toFrames(snapTick(clock, clock.tempo.toTicks(Math.round(frame)), !event.altKey));
  const between = (a: number, b: number) => (a === b ? null : { from: Math.min(a, b), to: Math.max(a, b) });
  const shown = pressed?.to === undefined ? marked.stretch : between(pressed.from, pressed.to);
  return (
    <div
      className="relative touch-none overflow-hidden"
      style={{ width, height: RULER_HEIGHT, cursor: pressed ? "ew-resize" : "pointer" }}
      title="Press to put the playhead there; drag to mark a stretch"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        setPressed({ x: event.clientX, from: snapped(frameOf(event), event), to: undefined });
      }}
      onPointerMove={(event) => {
        if (pressed && (pressed.to !== undefined || Math.abs(event.clientX - pressed.x) >= DRAG_PX)) setPressed({ ...pressed, to: snapped(frameOf(event), event) });
      }}
      onPointerUp={(event) => {
        if (!pressed) return;
        const dragged = Math.abs(event.clientX - pressed.x) >= DRAG_PX;
        if (dragged) marked.mark(between(pressed.from, snapped(frameOf(event), event)));
        else playback.getState().seek(snapped(frameOf(event), event));
        setPressed(null);
      }}
      onPointerCancel={() => setPressed(null)}
    >
      <canvas ref={canvas} style={{ width, height: RULER_HEIGHT }} role="img" aria-label="Bars, meter and tempo" />
      {shown && (
        <span
          role="img"
          aria-label={`Marked: ${barText(clock, shown.from)} to ${barText(clock, shown.to)}`}
          className={`absolute bottom-0 h-[5px] border-x border-spot ${marked.looping ? "bg-spot" : "bg-spot/35"}`}
          style={{ left: xOf(view, shown.from), width: Math.max(2, (shown.to - shown.from) / view.framesPerPixel) }}
        />
      )}
      <Playhead view={view} head />
    </div>
  );
}

interface Props {
  readonly width: number;
  readonly height: number;
  readonly rowHeight: number;
  readonly scroller: RefObject<HTMLDivElement | null>;
}

/** All clips of all tracks on one canvas that stays in view while the rows scroll past. */
export function Lanes({ width, height, rowHeight, scroller }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { session, selected, selectedClip, select, selectClip, edit } = useSessionParts((s) => ({
    session: s.session, selected: s.selected, selectedClip: s.selectedClip, select: s.select, selectClip: s.selectClip, edit: s.edit,
  }));
  const bench = useBenchView();
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const [scrollTop, setScrollTop] = useState(0);
  const [drag, setDrag] = useState<ClipDrag | null>(null);
  const [preview, setPreview] = useState<Clip | null>(null);
  const [cursor, setCursor] = useState("default");
  const clock = clockOf(session);
  const view = shownView(bench);

  useEffect(() => bench.measure(width, Math.max(clock.end, clock.tempo.toFrames(clock.meter.barToTick(FEWEST_BARS + 1)))), [bench, width, clock]);
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const onScroll = () => setScrollTop(box.scrollTop);
    box.addEventListener("scroll", onScroll, { passive: true });
    return () => box.removeEventListener("scroll", onScroll);
  }, [scroller]);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (event.ctrlKey || event.metaKey) {
        event.preventDefault();
        useBenchView.getState().zoom(Math.exp(-event.deltaY / 400), event.offsetX);
      } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        event.preventDefault();
        useBenchView.getState().scroll(event.shiftKey && event.deltaX === 0 ? event.deltaY : event.deltaX);
      }
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, []);
  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, height);
    if (!context) return;
    drawLanes(context, {
      view, session, clock, states: trackStates(session), selected, selectedClip: selectedClip?.clip ?? null,
      dragged: drag && preview ? { track: drag.track, clip: preview } : null, scrollTop, rowHeight, width, height,
    }, inksOf(context));
  }, [session, clock, view, selected, selectedClip, drag, preview, scrollTop, rowHeight, width, height, redraw, inksOf]);

  const at = (event: MouseEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { row: Math.floor((event.clientY - box.top + scrollTop) / rowHeight), frame: frameAt(view, event.clientX - box.left) };
  };
  return (<>
    <Playhead view={view} />
    <canvas
      ref={canvas}
      style={{ width, height, cursor: drag ? "grabbing" : cursor }}
      className="sticky top-0 block touch-none"
      role="img"
      aria-label="Lanes. The list of clips says the same in words."
      onDragOver={(event) => { if (event.dataTransfer.types.includes("Files")) event.preventDefault(); }}
      onDrop={(event) => {
        if (event.dataTransfer.files.length === 0) return;
        event.preventDefault();
        const { row, frame } = at(event);
        const tick = snapTick(clock, clock.tempo.toTicks(Math.max(0, Math.round(frame))), !event.altKey);
        useImport.getState().offer([...event.dataTransfer.files], { frame: clock.tempo.toFrames(tick), track: session.tracks[row]?.id ?? null });
      }}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const { row, frame } = at(event);
        const track = session.tracks[row];
        if (!track) return select([]);
        const found = grab(session, clock, row, frame, view.framesPerPixel);
        if (!found) return select([track.id]);
        selectClip({ track: track.id, clip: found.clip.id });
        if (track.frozen) return void toast(`${trackName(track)} is frozen. Unfreeze it to edit its clips (Shift+F).`);
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag(found);
        setPreview(null);
      }}
      onPointerMove={(event) => {
        const { row, frame } = at(event);
        if (drag) return setPreview(dragged(drag, session, clock, frame, !event.altKey));
        const under = grab(session, clock, row, frame, view.framesPerPixel);
        setCursor(under ? CURSORS[under.grip] : "default");
      }}
      onPointerUp={(event) => {
        // From the event itself: what was shown last may lag behind the pointer.
        const { frame } = at(event);
        const made = drag && frame !== drag.grabbed && dragEdit(drag.clip, dragged(drag, session, clock, frame, !event.altKey), drag.track);
        if (made) edit(`${drag.grip === "move" ? "Move" : "Trim"} ${drag.clip.name || "a clip"}`, [made]);
        setDrag(null);
        setPreview(null);
      }}
      onPointerCancel={() => {
        setDrag(null);
        setPreview(null);
      }}
    />
  </>);
}
