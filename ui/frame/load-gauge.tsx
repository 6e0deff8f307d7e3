"use client";

import { useSessionParts } from "../session/provider";

/** Load of the whole session as measured by the engine, of one core, and what it was before the last change. */
export function LoadGauge() {
  const { load, before } = useSessionParts((s) => ({ load: s.load, before: s.loadBefore }));
  const shown = (value: number) => value.toFixed(2);
  const total = load?.total ?? null;
  const was = before && total !== null && Math.abs(before.total - total) >= 0.005 ? before.total : null;
  return (
    <div className="mr-2 flex items-center gap-2 text-xs" title="Time the session takes to compute, in its busiest seconds, over the time it plays: 1.00 keeps one core busy">
      <span className="text-on-strip-soft">load</span>
      <span aria-hidden className="relative h-[7px] w-20 bg-on-strip/20">
        <span className="absolute inset-y-0 left-0 bg-[#9fd3b9]" style={{ width: `${Math.min(100, (total ?? 0) * 100)}%` }} />
        {was !== null && <span className="absolute -inset-y-[3px] w-px bg-on-strip" style={{ left: `${Math.min(100, was * 100)}%` }} />}
      </span>
      <span className="figure w-7 text-right font-medium" aria-label="Load of the session">{total === null ? "–" : shown(total)}</span>
      <span className="figure w-16 text-on-strip-soft">{was === null ? "" : `was ${shown(was)}`}</span>
    </div>
  );
}
