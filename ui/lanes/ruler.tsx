"use client";

import { askMenu } from "../actions/menu-store";
import { usePull } from "../parts/pull";
import { useEffect, useRef, useState, type PointerEvent } from "react";
import { usePlayback, usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { prepare, useInks, useRedraw } from "../canvas/canvas";
import { drawRuler } from "../canvas/draw-ruler";
import { Marks } from "./marks";
import { onsetsOf } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { snapFrame, snapTargets } from "../timeline/snap";
import { frameAt, rulerHeightOf, shownView, useBenchView, xOf } from "../timeline/view";

const DRAG_PX = 4;
const REACH_PX = 6;

/** Bars, meter and tempo; markers and saved ranges; a press puts the playhead there, a drag marks a stretch. */
export function Ruler({ width }: { readonly width: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const height = rulerHeightOf(session);
  const bench = useBenchView();
  const settings = useBenchSettings();
  const inksOf = useInks(bench.theme);
  const redraw = useRedraw();
  const playback = usePlaybackStore();
  const marked = usePlayback((p) => ({ stretch: p.stretch, looping: p.looping, mark: p.mark }));
  /** A press on the ruler, and where it has been dragged to. */
  const [pressed, setPressed] = useState<{
    readonly x: number;
    readonly from: number;
    readonly to: number | undefined;
  } | null>(null);
  useEffect(() => {
    const context = canvas.current && prepare(canvas.current, width, height);
    if (context) drawRuler(context, session, clockOf(session), shownView(bench), width, height, inksOf(context));
  }, [session, bench, width, height, redraw, inksOf]);
  const clock = clockOf(session);
  const view = shownView(bench);
  const frameOf = (event: PointerEvent) =>
    Math.max(0, frameAt(view, event.clientX - event.currentTarget.getBoundingClientRect().left));
  const snapped = (frame: number, event: PointerEvent) =>
    snapFrame(
      clock,
      frame,
      event.altKey
        ? null
        : {
            grid: settings.grid,
            targets: snapTargets(session, clock, settings, onsetsOf, new Set()),
            reach: REACH_PX * view.framesPerPixel,
          },
    );
  const between = (a: number, b: number) => (a === b ? null : { from: Math.min(a, b), to: Math.max(a, b) });
  const shown = pressed?.to === undefined ? marked.stretch : between(pressed.from, pressed.to);
  const pull = usePull<HTMLDivElement>({
    begin(event) {
      // What opens from a mark lies elsewhere on the page, but its events come up through here.
      if (!event.currentTarget.contains(event.target as Node) || (event.target as HTMLElement).closest("[data-mark]"))
        return false;
      setPressed({ x: event.clientX, from: snapped(frameOf(event), event), to: undefined });
      return true;
    },
    move(event) {
      if (pressed && (pressed.to !== undefined || Math.abs(event.clientX - pressed.x) >= DRAG_PX))
        setPressed({ ...pressed, to: snapped(frameOf(event), event) });
    },
    end(event) {
      if (!pressed) return;
      const dragged = Math.abs(event.clientX - pressed.x) >= DRAG_PX;
      if (dragged) marked.mark(between(pressed.from, snapped(frameOf(event), event)));
      else playback.getState().seek(snapped(frameOf(event), event));
      setPressed(null);
    },
    cancel: () => setPressed(null),
  });
  return (
    <div
      className="relative touch-none overflow-hidden"
      style={{ width, height, cursor: pressed ? "ew-resize" : "pointer" }}
      title="Press to put the playhead there; drag to set a range"
      onContextMenu={() => askMenu("ruler")}
      {...pull}
    >
      <canvas ref={canvas} style={{ width, height }} role="img" aria-label="Bars, meter and tempo" />
      {shown && (
        <span
          role="img"
          aria-label={`Marked: ${barText(clock, shown.from)} to ${barText(clock, shown.to)}`}
          className={`absolute bottom-0 h-[5px] border-x border-spot ${marked.looping ? "bg-spot" : "bg-spot/35"}`}
          style={{ left: xOf(view, shown.from), width: Math.max(2, (shown.to - shown.from) / view.framesPerPixel) }}
        />
      )}
      <Marks view={view} width={width} />
      <Playhead view={view} head />
    </div>
  );
}
