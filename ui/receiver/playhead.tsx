"use client";

import { useRef } from "react";
import { formatClock } from "../../core/time/clock";
import type { Hearing } from "../hear/use-files-player";
import { setText } from "../parts/set-text";
import { usePosition } from "../hear/use-position";
import type { Bars } from "./bars";

/** Where it is: bar and beat, and time. */
export function Playhead({ player, bars }: { readonly player: Hearing; readonly bars: Bars }) {
  const bar = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);
  usePosition(player, (s) => {
    setText(bar.current, bars.positionAt(s));
    setText(time.current, formatClock(s).slice(0, -2));
  });
  return (
    <p className="leading-tight">
      <span className="sr-only">Bar and beat </span>
      <span ref={bar} className="figure block text-xl font-semibold" />
      <span ref={time} className="figure block text-xs text-soft" />
    </p>
  );
}
