import { useEffect, useState, type RefObject } from "react";

/** Rows that are made although they are out of sight: enough that none is missing while it scrolls past. */
const SPARE_ROWS = 16;
/** Until it is laid out (CSS pixels). */
const USUAL_HEIGHT = 600;
/** The window moves in steps, so that most scrolling makes nothing anew. */
const STEP_ROWS = 8;

/** A stretch of rows, the last one not included. */
export interface RowWindow {
  readonly first: number;
  readonly end: number;
}

function windowOf(scrollTop: number, height: number, rowHeight: number, rows: number, spare: number): RowWindow {
  const first = Math.floor((scrollTop / rowHeight - spare) / STEP_ROWS) * STEP_ROWS;
  const end = Math.ceil(((scrollTop + (height || USUAL_HEIGHT)) / rowHeight + spare) / STEP_ROWS) * STEP_ROWS;
  return { first: Math.max(0, first), end: Math.min(rows, end) };
}

/**
 * The rows of a scrolling box that are in sight or close to it. A session may have hundreds; each has controls by the
 * dozen.
 */
export function useVisibleRows(
  scroller: RefObject<HTMLElement | null>,
  height: number,
  rowHeight: number,
  rows: number,
  /** Whether there is time to make more than what is in sight. */
  withSpare: boolean,
): RowWindow {
  const spare = withSpare ? SPARE_ROWS : 0;
  const [scrollTop, setScrollTop] = useState(0);
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const onScroll = () =>
      setScrollTop((before) => {
        const [was, is] = [before, box.scrollTop].map((top) => windowOf(top, height, rowHeight, rows, spare)) as [
          RowWindow,
          RowWindow,
        ];
        return was.first === is.first && was.end === is.end ? before : box.scrollTop;
      });
    onScroll();
    box.addEventListener("scroll", onScroll, { passive: true });
    return () => box.removeEventListener("scroll", onScroll);
  }, [scroller, height, rowHeight, rows, spare]);
  return windowOf(scrollTop, height, rowHeight, rows, spare);
}
