"use client";

import { useRef } from "react";
import { useEveryPicture } from "../playback/provider";
import type { LaneView } from "./view";
import { shownView, useBenchView, xOf } from "./view";

/**
 * The line at what is heard now, over its box; with a head on the ruler. Where it leaves the view while playing, the
 * view turns a page.
 */
export function Playhead({ view, head = false }: { readonly view: LaneView; readonly head?: boolean }) {
  const line = useRef<HTMLSpanElement>(null);
  useEveryPicture((playback) => {
    const x = xOf(view, playback.position());
    const { width, scroll } = useBenchView.getState();
    if (line.current) {
      line.current.style.transform = `translateX(${x.toFixed(1)}px)`;
      line.current.style.visibility = x < -6 || x > width ? "hidden" : "visible";
    }
    if (head && playback.state === "playing" && (x > width || x < 0)) scroll(x - width * 0.08);
  }, view);
  return (
    <span
      ref={line}
      aria-hidden
      className="pointer-events-none absolute inset-y-0 left-0 z-10 w-px bg-signal will-change-transform"
    >
      {head && (
        <span className="absolute bottom-0 -left-[5px] border-x-[5.5px] border-t-[8px] border-x-transparent border-t-signal" />
      )}
    </span>
  );
}

/** The same over something that does not itself know where the lanes look. */
export const BenchPlayhead = () => <Playhead view={shownView(useBenchView())} />;
