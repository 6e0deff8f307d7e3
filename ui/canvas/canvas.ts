import { useEffect, useReducer, useRef } from "react";
import { onOverview } from "./overviews";
import { readInks } from "./inks";
import type { Inks } from "./inks";

/** Sizes a canvas to its box at the screen's resolution and returns its context, scaled to CSS pixels. */
export function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D | null {
  const scale = devicePixelRatio;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const context = canvas.getContext("2d");
  context?.setTransform(scale, 0, 0, scale, 0, 0);
  return context;
}

/** Inks read once a theme; they cost a style computation. */
export function useInks(theme: number) {
  const inks = useRef<{ theme: number; inks: Inks } | null>(null);
  return (context: CanvasRenderingContext2D): Inks => {
    if (inks.current?.theme !== theme) inks.current = { theme, inks: readInks(context) };
    return inks.current.inks;
  };
}

/** Counts whenever something outside React's sight asks for a new drawing: overviews that came, fonts that loaded. */
export function useRedraw(): number {
  const [count, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    void document.fonts.ready.then(redraw);
    return onOverview(redraw);
  }, []);
  return count;
}
