"use client";

import type { MouseEvent, RefObject } from "react";
import { useEffect, useMemo, useRef, useState } from "react";
import { Surface } from "../canvas/surface";
import { askMenu } from "../actions/menu-store";
import { pointOf, useGesture } from "../canvas/use-gesture";
import { drawLanes } from "../clips/draw-lanes";
import { grab } from "../clips/gestures";
import { INSIDE, useDrawer } from "../drawer/drawer-store";
import { padAt } from "../kit/onto-pad";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackStates } from "../session/track-state";
import { onsetsOf } from "../timeline/onsets";
import { Playhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { useRows } from "../timeline/shown";
import { snapFrame, snapTargets } from "../timeline/snap";
import { useWheel } from "../timeline/use-wheel";
import { shownView, useBenchView, xOf } from "../timeline/view";
import { CURSORS, NOTHING } from "./hold";
import type { LaneWorld } from "./lane-gesture";
import { afterRightPress, laneGesture, pointerOf } from "./lane-gesture";
import { Landing } from "./landing";
import { LoudnessTrace } from "./loudness-trace";
import { useLaneDone } from "./use-lane-done";
import { useLaneDrop } from "./use-lane-drop";

/** How near something has to be dragged to a place to hold on to it. */
const REACH_PX = 7;
/** A session with little in it is shown as if it had this many bars: room to put things. */
const FEWEST_BARS = 16;

interface Props {
  /** CSS pixels. */
  readonly width: number;
  readonly height: number;
  readonly rowHeight: number;
  readonly scroller: RefObject<HTMLDivElement | null>;
  /** The one track that is shown, larger; else all. */
  readonly only?: string;
}

/** All clips of all tracks on one canvas that stays in view while the rows scroll past; or those of one. */
export function Lanes({ width, height, rowHeight, scroller, only }: Props) {
  const surface = useRef<HTMLDivElement>(null);
  const rows = useRows();
  const session = useMemo(
    () => (only === undefined ? rows : { ...rows, tracks: rows.tracks.filter((t) => t.id === only) }),
    [rows, only],
  );
  const { whole, selected, selectedClips, selectedRange, select, selectClips } = useSessionParts((s) => ({
    whole: s.session,
    selected: s.selected,
    selectedClips: s.selectedClips,
    selectedRange: s.selectedRange,
    select: s.select,
    selectClips: s.selectClips,
  }));
  const bench = useBenchView();
  const settings = useBenchSettings();
  const scrollTop = useScrollTop(scroller);
  const [cursor, setCursor] = useState("default");
  const [hovered, setHovered] = useState<string | null>(null);
  const clock = clockOf(rows);
  const view = shownView(bench);
  useWheel(surface);
  useEffect(() => {
    const fewest = clock.tempo.toFrames(clock.meter.barToTick(FEWEST_BARS + 1));
    if (only === undefined) bench.measure(width, Math.max(clock.end, fewest));
  }, [bench, width, clock, only]);

  const world: LaneWorld = {
    ...{ whole, rows, shown: session, clock, view, rowHeight, scrollTop },
    acrossRows: only === undefined,
    chosen: selectedClips,
    snapWithout: (clips) => ({
      grid: settings.grid,
      targets: snapTargets(session, clock, settings, onsetsOf, clips),
      reach: REACH_PX * view.framesPerPixel,
    }),
    padAt: ({ page }) => padAt({ clientX: page.x, clientY: page.y }),
    newId: () => crypto.randomUUID(),
  };
  const gesture = useGesture(laneGesture(world), {
    began: (hold) => {
      if (hold && hold.what !== "range") selectClips([...hold.chosen]);
    },
    done: useLaneDone(session),
  });
  const { held, shown: moving } = gesture;
  const shown = moving ?? NOTHING;
  const under = (event: MouseEvent) => {
    const point = pointOf(event);
    return grab(session, clock, pointerOf(world, point), view.framesPerPixel, point.copies);
  };
  const drop = useLaneDrop(session, (event) => {
    const point = pointOf(event);
    const { row, frame } = pointerOf(world, point);
    const snap = point.free ? null : world.snapWithout(new Set());
    return { frame: snapFrame(clock, frame, snap), track: session.tracks[row]?.id ?? null };
  });
  return (
    <div ref={surface} className="contents">
      <Playhead view={view} />
      {only === undefined && <LoudnessTrace width={width} rowHeight={rowHeight} />}
      {shown.says && (
        <span className="figure pointer-events-none sticky top-1 left-1 z-20 float-left rounded-sm bg-ink px-1.5 text-[11px] text-paper">
          {shown.says}
        </span>
      )}
      {drop.landing && <Landing place={drop.landing} {...{ view, session, rowHeight }} />}
      <Surface
        {...(only === undefined ? { "data-lanes": true } : { "data-row": only })}
        data-frames-per-pixel={view.framesPerPixel}
        width={width}
        height={height}
        draw={(context, inks) =>
          drawLanes(
            context,
            {
              ...{ view, session, clock, selected, hovered, scrollTop, rowHeight, width, height },
              states: trackStates(whole),
              chosen: new Set(selectedClips.map((c) => c.clip)),
              dragged: shown.clips,
              rowsDown: shown.rows,
              range: shown.range ?? selectedRange,
            },
            inks,
          )
        }
        style={{ cursor: held?.what === "clip" && held.drag.grip === "move" ? "grabbing" : cursor }}
        className="sticky top-0 block touch-none"
        role="img"
        aria-label={`${only === undefined ? "Lanes" : "The row, enlarged"}. The list of clips says the same in words.`}
        {...drop.on}
        {...gesture.on<HTMLCanvasElement>(undefined, (event) => {
          const found = under(event);
          setCursor(found ? CURSORS[found.grip] : "default");
          setHovered(found?.clip.id ?? null);
        })}
        onContextMenu={(event) => {
          const point = pointOf(event);
          const chosen = afterRightPress(world, point, selectedRange);
          if (chosen.select === "clips") selectClips([...chosen.clips]);
          if (chosen.select === "tracks") select([...chosen.tracks]);
          askMenu(chosen.kind);
        }}
        onDoubleClick={(event) => {
          const found = under(event);
          if (found) useDrawer.getState().show(INSIDE[found.clip.kind]);
        }}
        onPointerLeave={() => setHovered(null)}
      />
      {selectedRange && !shown.range && (
        <span
          role="img"
          aria-label={`Chosen: ${barText(clock, selectedRange.from)} to ${barText(clock, selectedRange.to)} on ${selectedRange.tracks.length} ${selectedRange.tracks.length === 1 ? "track" : "tracks"}`}
          className="sr-only"
          style={{ left: xOf(view, selectedRange.from) }}
        />
      )}
    </div>
  );
}

/** How far the rows are scrolled, in CSS pixels. */
function useScrollTop(scroller: RefObject<HTMLDivElement | null>): number {
  const [scrollTop, setScrollTop] = useState(0);
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const onScroll = () => setScrollTop(box.scrollTop);
    box.addEventListener("scroll", onScroll, { passive: true });
    return () => box.removeEventListener("scroll", onScroll);
  }, [scroller]);
  return scrollTop;
}
