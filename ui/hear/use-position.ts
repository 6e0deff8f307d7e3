"use client";

import { useEffect, useRef } from "react";
import type { Hearing } from "./use-files-player";

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
