"use client";

import { useEffect, useRef } from "react";
import { formatClock } from "../../core/time/clock";
import type { Hearing } from "../hear/use-files-player";
import type { Bars } from "./bars";

/** Calls back sixty times a second while something plays, and once whenever it is moved. */
export function usePosition(player: Hearing, draw: (positionS: number) => void): void {
  const latest = useRef(draw);
  useEffect(() => {
    latest.current = draw;
  });
  useEffect(() => {
    let frame = 0;
    const turn = () => {
      latest.current(player.positionS());
      if (player.playing) frame = requestAnimationFrame(turn);
    };
    turn();
    return () => cancelAnimationFrame(frame);
  }, [player]);
}

/** Where it is: bar and beat, and time. */
export function Playhead({ player, bars }: { readonly player: Hearing; readonly bars: Bars }) {
  const bar = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);
  usePosition(player, (s) => {
    if (bar.current) bar.current.textContent = bars.positionAt(s);
    if (time.current) time.current.textContent = formatClock(s).slice(0, -2);
  });
  return (
    <p className="leading-tight">
      <span className="sr-only">Bar and beat </span>
      <span ref={bar} className="figure block text-xl font-semibold" />
      <span ref={time} className="figure block text-xs text-soft" />
    </p>
  );
}
