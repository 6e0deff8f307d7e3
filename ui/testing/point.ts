import type { Gesture, Point } from "../canvas/gesture";

/** A point on a surface in the corner of the page. */
export const pointAt = (x: number, y: number, keys: Partial<Pick<Point, "free" | "copies" | "shift">> = {}): Point => ({
  ...{ x, y, page: { x, y }, free: false, copies: false, shift: false },
  ...keys,
});

/** Presses at one point and lets go at another; null: nothing was held, or nothing came of it. */
export function drag<Held, Shown, Done, Which>(
  gesture: Gesture<Held, Shown, Done, Which>,
  from: Point,
  to: Point,
  which: Which,
): Done | null {
  const held = gesture.begin(from, which);
  if (held === null) return null;
  const moved = from.x !== to.x || from.y !== to.y;
  if (moved) gesture.move(held, to);
  return gesture.end(held, to, moved);
}
