"use client";

import { usePull } from "../parts/pull";
import { formatDb, roundDb } from "../../core/words/numbers";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

interface Drag {
  readonly x: number;
  readonly from: number;
}

interface Options {
  readonly value: number;
  readonly min: number;
  readonly max: number;
  /** How much one pixel of travel, and one press of an arrow key, change. */
  readonly perPixel: number;
  readonly perKey: number;
  readonly neutral: number;
  readonly round: (value: number) => number;
  /** While it is dragged, where it is; null when nothing came of it. */
  readonly onMove: (value: number | null) => void;
  readonly onCommit: (value: number) => void;
}

/** A control that is dragged sideways or moved with the arrow keys and commits once, when it is let go. */
function useSideways({ value, min, max, perPixel, perKey, neutral, round, onMove, onCommit }: Options) {
  const [moving, setMoving] = useState<number | null>(null);
  const drag = useRef<Drag | null>(null);
  const held = (v: number) => round(Math.max(min, Math.min(max, v)));
  const commit = (v: number) => {
    setMoving(null);
    if (v !== value) onCommit(v);
    else onMove(null);
  };
  // From the event itself, also when it is let go: what was shown last may lag behind the pointer.
  const under = (e: PointerEvent<HTMLElement>, { x, from }: Drag) =>
    e.clientX === x ? from : held(from + (e.clientX - x) * perPixel * (e.shiftKey ? 0.2 : 1));
  const pull = usePull<HTMLElement>({
    begin(e) {
      drag.current = { x: e.clientX, from: value };
      return true;
    },
    move(e) {
      if (!drag.current) return;
      const to = under(e, drag.current);
      setMoving(to);
      onMove(to);
    },
    end(e) {
      if (drag.current) commit(under(e, drag.current));
      drag.current = null;
    },
    cancel() {
      drag.current = null;
      setMoving(null);
      onMove(null);
    },
  });
  return {
    now: moving ?? value,
    handlers: {
      ...pull,
      onDoubleClick: () => commit(held(neutral)),
      onKeyDown: (e: KeyboardEvent<HTMLElement>) => {
        const direction =
          e.key === "ArrowRight" || e.key === "ArrowUp" ? 1 : e.key === "ArrowLeft" || e.key === "ArrowDown" ? -1 : 0;
        if (direction === 0) return;
        e.preventDefault();
        e.stopPropagation();
        commit(held(value + direction * perKey * (e.shiftKey ? 0.2 : 1)));
      },
    },
  };
}

const FLOOR_DB = -60;
const shownDb = (db: number) => (db > 0 ? "+" : "") + formatDb(db, FLOOR_DB);

interface FaderProps {
  readonly name: string;
  readonly db: number;
  /** Automation moves it: the drawing shows so, and dragging is off. */
  readonly ridden: boolean;
  readonly onMove: (db: number | null) => void;
  readonly onCommit: (db: number) => void;
}

/** A fader as a small gauge on the path: its number, and how far it is up. */
export function Fader({ name, db, ridden, onMove, onCommit }: FaderProps) {
  const { now, handlers } = useSideways({
    value: db,
    min: FLOOR_DB,
    max: 12,
    perPixel: 0.25,
    perKey: 0.5,
    neutral: 0,
    round: (v) => (v <= FLOOR_DB ? -144 : roundDb(v)),
    onMove,
    onCommit,
  });
  const filled = Math.max(0, Math.min(1, (Math.max(FLOOR_DB, now) - FLOOR_DB) / (12 - FLOOR_DB)));
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Fader of ${name}`}
      aria-valuemin={FLOOR_DB}
      aria-valuemax={12}
      aria-valuenow={Math.max(FLOOR_DB, now)}
      aria-valuetext={ridden ? "ridden by automation" : `${shownDb(now)} dB`}
      aria-disabled={ridden}
      title={
        ridden
          ? `${name}: the fader is ridden by automation`
          : `${name}: ${shownDb(now)} dB. Drag sideways, double-click for 0 dB`
      }
      className={`relative h-6 w-full touch-none overflow-hidden border border-ink bg-lift select-none ${ridden ? "border-dashed" : "cursor-ew-resize"}`}
      {...(ridden ? {} : handlers)}
    >
      <span className="absolute inset-y-0 left-0 bg-spot-wash" style={{ width: `${filled * 100}%` }} />
      <span className="figure relative block pr-1 text-right text-[11px] leading-[22px]">
        {ridden ? "rides" : shownDb(now)}
      </span>
    </div>
  );
}

const shownPan = (pan: number) => (pan === 0 ? "C" : `${pan < 0 ? "L" : "R"}${Math.round(Math.abs(pan) * 100)}`);

/** Pan as a needle over an arc. */
export function Pan({
  name,
  pan,
  onMove,
  onCommit,
}: {
  readonly name: string;
  readonly pan: number;
  readonly onMove: (pan: number | null) => void;
  readonly onCommit: (pan: number) => void;
}) {
  const { now, handlers } = useSideways({
    value: pan,
    min: -1,
    max: 1,
    perPixel: 0.012,
    perKey: 0.05,
    neutral: 0,
    round: (v) => Math.round(v * 100) / 100,
    onMove,
    onCommit,
  });
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Pan of ${name}`}
      aria-valuemin={-1}
      aria-valuemax={1}
      aria-valuenow={now}
      aria-valuetext={shownPan(now)}
      title={`${name}: pan ${shownPan(now)}. Drag sideways, double-click for the centre`}
      className="size-6 cursor-ew-resize touch-none bg-[var(--row)] select-none"
      {...handlers}
    >
      <svg viewBox="0 0 24 24" aria-hidden className="size-full">
        <path d="M4 17A9 9 0 0 1 20 17" fill="none" stroke="var(--ink-faint)" strokeWidth="1.4" />
        <line
          x1="12"
          y1="18"
          x2="12"
          y2="8"
          stroke="var(--ink)"
          strokeWidth="1.8"
          transform={`rotate(${now * 62} 12 18)`}
        />
      </svg>
    </div>
  );
}
