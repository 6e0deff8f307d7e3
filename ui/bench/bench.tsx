"use client";

import { memo, useEffect, useMemo, useRef, useState, type RefObject } from "react";
import { Eye, EyeOff, Minus, Plus, StretchHorizontal } from "lucide-react";
import { chooseFiles } from "../import/store";
import { Button } from "../parts/button";
import { MissingFiles } from "./missing-files";
import { later } from "../parts/later";
import { useLater } from "../parts/use-later";
import { sortSelection } from "../session/selection";
import { useSessionParts } from "../session/provider";
import { BenchSettingsButton } from "../timeline/bench-settings";
import { useBenchSettings } from "../timeline/settings";
import { AddTrack } from "../tracks/add-track";
import { ClipList } from "../lanes/clip-list";
import { useDrawer } from "../drawer/drawer-store";
import { Lanes } from "../lanes/lanes";
import { Ruler } from "../lanes/ruler";
import type { Ink } from "../path-map/ink";
import { PathMap } from "../path-map/path-map";
import { usePrintSlip } from "../slip/print-slip";
import { useSlip } from "../slip/slip-store";
import { useHidden, useRows } from "../timeline/shown";
import { RowHeads } from "../lanes/row-heads";
import { Slip } from "../slip/slip";
import { HEAD_WIDTH, MAP_WIDTH, rowHeightFor, rulerHeightOf, useBenchView } from "../timeline/view";
import { useVisibleRows } from "../timeline/visible-rows";

// What costs much to make is made anew only when its own reasons change, not whenever something else on the screen
// does.
const Heads = memo(RowHeads);
const Paths = memo(PathMap);
const Clips = memo(ClipList);

const Drawer = later(async () => (await import("../drawer/drawer")).Drawer);

/** Width and height of an element as it is laid out. */
function useSize(box: RefObject<HTMLElement | null>): { readonly width: number; readonly height: number } {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setSize({ width: element.clientWidth, height: element.clientHeight }));
    watch.observe(element);
    return () => watch.disconnect();
  }, [box]);
  return size;
}

/** What to do with a session that has nothing in it yet. */
function EmptySession({ left, width }: { readonly left: number; readonly width: number }) {
  return (
    <div
      className="pointer-events-none absolute mt-14 grid justify-items-center gap-1 text-center"
      style={{ left, width }}
    >
      <p className="text-[19px] font-semibold tracking-tight">Drop audio or MIDI files here</p>
      <Button kind="main" className="pointer-events-auto mt-1" onClick={chooseFiles}>
        Import audio or MIDI
      </Button>
    </div>
  );
}

/** What is enlarged does not scroll. */
const NO_SCROLLER = { current: null };

/** The main screen: lanes, path map, print slip. */
export function Bench() {
  const scroller = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(scroller);
  const { session, selected } = useSessionParts((s) => ({ session: s.session, selected: s.selected }));
  const mode = useSlip((s) => s.mode);
  const isDrawerOpen = useDrawer((d) => d.open !== null);
  const printed = usePrintSlip();
  const slip = mode === "print" ? printed : null;
  const ink = useMemo(
    (): Ink =>
      slip
        ? { tracks: new Set(slip.tracks), tap: slip.tap, before: slip.before }
        : { tracks: new Set(sortSelection(session, selected).toFreeze.map((t) => t.id)), tap: "devices", before: null },
    [slip, session, selected],
  );
  const isLater = useLater();
  const zoom = useBenchView((v) => v.zoom);
  const rows = useBenchSettings((s) => s.rows);
  useEffect(() => void useBenchSettings.persist.rehydrate(), []);
  const fit = useBenchView((v) => v.fit);
  const lanes = Math.max(100, width - HEAD_WIDTH - MAP_WIDTH);
  const shown = useRows();
  const hidden = useHidden();
  const outOfSight = session.tracks.filter((t) => t.hidden).length;
  const rowHeight = rowHeightFor(shown.tracks.length, height, rows);
  const { first, end } = useVisibleRows(scroller, height, rowHeight, shown.tracks.length, isLater);
  const chosenRow = shown.tracks.findIndex((t) => t.id === selected.at(-1));
  useEffect(() => {
    const box = scroller.current;
    if (!box || chosenRow < 0) return;
    // Chosen by key, a row may lie out of sight.
    box.scrollTop = Math.max(
      (chosenRow + 1) * rowHeight - box.clientHeight,
      Math.min(box.scrollTop, chosenRow * rowHeight),
    );
  }, [chosenRow, rowHeight, height]);
  const small = "grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink";
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_auto_minmax(0,1fr)_auto_auto]">
      <h1 className="sr-only">Bench</h1>
      <div>
        <MissingFiles />
      </div>
      <div className="flex border-b border-rule bg-paper" style={{ height: rulerHeightOf(session) + 1 }}>
        <div className="flex items-center gap-0.5 border-r border-rule px-2" style={{ width: HEAD_WIDTH }}>
          <span className="eyebrow flex-1 truncate">
            {session.tracks.length - (hidden.shown ? 0 : outOfSight)} {session.tracks.length === 1 ? "track" : "tracks"}
          </span>
          {outOfSight > 0 && (
            <button
              type="button"
              className={`flex h-6 items-center gap-1 rounded-sm px-1 text-[11px] hover:bg-shade ${hidden.shown ? "text-ink" : "text-soft"}`}
              aria-pressed={hidden.shown}
              aria-label={
                hidden.shown
                  ? "Leave hidden tracks out of sight"
                  : `Show ${outOfSight} hidden ${outOfSight === 1 ? "track" : "tracks"}`
              }
              title={hidden.shown ? "Leave hidden tracks out of sight" : "Show hidden tracks"}
              onClick={hidden.toggle}
            >
              {hidden.shown ? <Eye size={13} aria-hidden /> : <EyeOff size={13} aria-hidden />}
              <span className="figure">{outOfSight}</span>
            </button>
          )}
          <AddTrack />
          <BenchSettingsButton />
          <button
            type="button"
            className={small}
            aria-label="Zoom out"
            title="Zoom out ( - )"
            onClick={() => zoom(1 / 1.5)}
          >
            <Minus size={14} aria-hidden />
          </button>
          <button type="button" className={small} aria-label="Zoom in" title="Zoom in ( + )" onClick={() => zoom(1.5)}>
            <Plus size={14} aria-hidden />
          </button>
          <button
            type="button"
            className={small}
            aria-label="Fit the whole session"
            title="Fit the whole session ( 0 )"
            onClick={fit}
          >
            <StretchHorizontal size={14} aria-hidden />
          </button>
        </div>
        {width > 0 && <Ruler width={lanes} />}
        <div className="eyebrow relative border-l border-ink" style={{ width: MAP_WIDTH }}>
          {(
            [
              ["devices", 16],
              ["fader", 207],
              ["pan", 265],
              ["mute", 291],
              ["into", 336],
              ["group", 363],
              ["mix", 407],
            ] as const
          ).map(([name, x]) => (
            <span key={name} className="absolute bottom-1" style={{ left: x }}>
              {name}
            </span>
          ))}
        </div>
      </div>
      <div ref={scroller} className="relative overflow-x-hidden overflow-y-auto bg-paper" tabIndex={-1}>
        <div className="flex" style={{ height: shown.tracks.length * rowHeight }}>
          <Heads rowHeight={rowHeight} first={first} end={end} />
          <div className="relative overflow-clip" style={{ width: lanes }}>
            {width > 0 && <Lanes width={lanes} height={height} rowHeight={rowHeight} scroller={scroller} />}
          </div>
          <div className="border-l border-ink">
            <Paths ink={ink} rowHeight={rowHeight} first={first} end={end} />
          </div>
        </div>
        {session.tracks.every((t) => t.clips.length === 0) && <EmptySession left={HEAD_WIDTH} width={lanes} />}
        <Clips first={first} end={end} />
      </div>
      {isDrawerOpen && (
        <Drawer
          lanes={lanes}
          enlarged={(track, height) => (
            <Lanes
              key={track.id}
              only={track.id}
              width={lanes}
              height={height}
              rowHeight={height}
              scroller={NO_SCROLLER}
            />
          )}
        />
      )}
      <Slip compact={isDrawerOpen} />
    </main>
  );
}
