"use client";

import { useRef } from "react";
import type { Hearing } from "../hear/use-files-player";
import type { Bars } from "./bars";
import { usePosition } from "../hear/use-position";

/** About so many bar numbers are written. */
const NUMBERS = 14;
const KEY_STEP_S = 5;

/** Bars and marks over the files; pressing a place goes there, and arrow keys do. */
export function Ruler({
  bars,
  lengthS,
  player,
}: {
  readonly bars: Bars;
  readonly lengthS: number;
  readonly player: Hearing;
}) {
  const slider = useRef<HTMLDivElement>(null);
  const head = useRef<HTMLDivElement>(null);
  usePosition(player, (s) => {
    if (head.current) head.current.style.left = `${(100 * s) / lengthS}%`;
    slider.current?.setAttribute("aria-valuenow", s.toFixed(1));
    slider.current?.setAttribute("aria-valuetext", `bar ${bars.positionAt(s)}`);
  });
  const every = Math.max(1, Math.ceil(bars.lines.length / NUMBERS));
  const at = (s: number) => `${(100 * s) / lengthS}%`;
  return (
    <div className="mt-2 sm:pl-[calc(13rem+0.75rem)] sm:pr-[calc(8.5rem+0.75rem)]">
      <div
        ref={slider}
        role="slider"
        tabIndex={0}
        aria-label="Position"
        aria-valuemin={0}
        aria-valuemax={Math.round(lengthS)}
        aria-valuenow={0}
        onPointerDown={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          player.seek((lengthS * (e.clientX - box.left)) / box.width);
        }}
        onKeyDown={(e) => {
          const by = e.key === "ArrowLeft" ? -KEY_STEP_S : e.key === "ArrowRight" ? KEY_STEP_S : 0;
          if (by === 0 && e.key !== "Home") return;
          e.preventDefault();
          player.seek(e.key === "Home" ? 0 : player.positionS() + by);
        }}
        className="relative h-9 cursor-pointer overflow-hidden text-[11px] text-soft"
      >
        {bars.lines
          .filter((_, i) => i % every === 0)
          .map(({ bar, atS }) => (
            <span key={bar} className="figure absolute bottom-0 border-l border-rule pl-1" style={{ left: at(atS) }}>
              {bar}
            </span>
          ))}
        {bars.marks.map(({ name, atS }) => (
          <span
            key={`${name}${atS}`}
            className="absolute top-0 max-w-24 truncate border-l-2 border-spot pl-1 text-ink"
            style={{ left: at(atS) }}
          >
            {name}
          </span>
        ))}
        <div ref={head} aria-hidden className="absolute inset-y-0 w-0.5 bg-signal" />
      </div>
    </div>
  );
}
