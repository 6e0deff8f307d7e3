import { useEffect, useState, type RefObject } from "react";

/** Rows that are made although they are out of sight: enough that none is missing while it scrolls past. */
const SPARE_ROWS = 16;
/** The window moves in steps, so that most scrolling makes nothing anew. */
const STEP_ROWS = 8;

/** A stretch of rows, the last one not included. */
export interface RowWindow {
  readonly first: number;
  readonly end: number;
}

export function windowOf(scrollTop: number, height: number, rowHeight: number, rows: number): RowWindow {
  const first = Math.floor((scrollTop / rowHeight - SPARE_ROWS) / STEP_ROWS) * STEP_ROWS;
  const end = Math.ceil(((scrollTop + height) / rowHeight + SPARE_ROWS) / STEP_ROWS) * STEP_ROWS;
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
): RowWindow {
  const [scrollTop, setScrollTop] = useState(0);
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const onScroll = () =>
      setScrollTop((before) => {
        const [was, is] = [windowOf(before, height, rowHeight, rows), windowOf(box.scrollTop, height, rowHeight, rows)];
        return was.first === is.first && was.end === is.end ? before : box.scrollTop;
      });
    onScroll();
    box.addEventListener("scroll", onScroll, { passive: true });
    return () => box.removeEventListener("scroll", onScroll);
  }, [scroller, height, rowHeight, rows]);
  return windowOf(scrollTop, height, rowHeight, rows);
}
