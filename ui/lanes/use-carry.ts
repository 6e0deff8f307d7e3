import { useState, type DOMAttributes, type PointerEvent } from "react";
import { usePulls } from "../parts/pull";

/** A press that moves less is no drag. */
const CARRY_PX = 5;

/**
 * Carrying a row of a list to another place. `gap` is the line between rows where it would land, while it is carried.
 * Rows from `rows` on do not move. `drop` gets the row it came from and the index it has afterwards.
 */
export function useCarry(
  rowHeight: number,
  rows: number,
  drop: (from: number, to: number) => void,
  /** It was let go on something else on the page; answers whether that took it. */
  dropOn: (from: number, point: PointerEvent) => boolean = () => false,
): { readonly gap: number | null; readonly gripOf: (row: number) => DOMAttributes<HTMLElement> } {
  const [held, setHeld] = useState<{ readonly from: number; readonly y: number; readonly gap: number | null } | null>(
    null,
  );
  const gapAt = (event: PointerEvent, from: number, y: number): number | null =>
    Math.abs(event.clientY - y) < CARRY_PX
      ? null
      : Math.max(0, Math.min(rows, Math.round(from + 0.5 + (event.clientY - y) / rowHeight)));
  const gripOf = usePulls<HTMLElement, number>((row) => ({
    begin(event) {
      if (row >= rows) return false;
      setHeld({ from: row, y: event.clientY, gap: null });
      return true;
    },
    move(event) {
      if (held) setHeld({ ...held, gap: gapAt(event, held.from, held.y) });
    },
    end(event) {
      const gap = held && gapAt(event, held.from, held.y);
      if (held && gap !== null && !dropOn(held.from, event)) {
        const to = gap > held.from ? gap - 1 : gap;
        if (to !== held.from) drop(held.from, to);
      }
      setHeld(null);
    },
    cancel: () => setHeld(null),
  }));
  return { gap: held?.gap ?? null, gripOf };
}
