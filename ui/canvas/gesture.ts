/** Where a pointer is over a surface, in CSS pixels from its upper left corner, and which keys are held with it. */
export interface Point {
  readonly x: number;
  readonly y: number;
  /** The same place on the page. */
  readonly page: { readonly x: number; readonly y: number };
  /** Alt: off the grid. */
  readonly free: boolean;
  /** Ctrl or Command. */
  readonly copies: boolean;
  /** Shift. */
  readonly shift: boolean;
}

/**
 * What happens from pressing to letting go, without a page: each function is pure. `Held` is what was taken hold of,
 * `Shown` what is drawn meanwhile, `Done` what comes of it; `Which`: which of several elements was pressed.
 */
export interface Gesture<Held, Shown, Done, Which = undefined> {
  /** A press; null: there is nothing to hold. */
  begin(point: Point, which: Which): Held | null;
  move(held: Held, point: Point): Shown;
  /** Let go; `moved`: further than a press is. Null: nothing comes of it. */
  end(held: Held, point: Point, moved: boolean): Done | null;
}

/** Pixels between two places on the page. */
export const distancePx = (a: Point, b: Point): number => Math.hypot(a.page.x - b.page.x, a.page.y - b.page.y);
