import type { Ticks } from "../units";
import { TICKS_PER_QUARTER } from "../units";

/** From bar `bar` (1-based) on, bars have `numerator` beats of one `denominator`-th note. */
export interface MeterPoint {
  readonly bar: number;
  readonly numerator: number;
  readonly denominator: 1 | 2 | 4 | 8 | 16 | 32;
}

/** A place on the bar grid, everything 1-based but `tick`. */
export interface BarPosition {
  readonly bar: number;
  readonly beat: number;
  readonly tick: Ticks;
}

export interface MeterMap {
  barToTick(bar: number): Ticks;
  position(tick: Ticks): BarPosition;
  meterAt(bar: number): MeterPoint;
  /** Length of one beat in the bar that holds `tick`. */
  beatTicks(tick: Ticks): Ticks;
}

const beatLength = (m: MeterPoint): Ticks => (TICKS_PER_QUARTER * 4) / m.denominator;
const barLength = (m: MeterPoint): Ticks => m.numerator * beatLength(m);

/**
 * `points` start at bar 1, which begins at tick `leadIn`, and rise strictly. Bars before bar 1 continue the first meter
 * backwards.
 */
export function meterMap(points: readonly MeterPoint[], leadIn: Ticks = 0): MeterMap {
  const starts: { readonly point: MeterPoint; readonly tick: Ticks }[] = [];
  let tick = leadIn;
  points.forEach((point, i) => {
    const before = points[i - 1];
    if (before) tick += (point.bar - before.bar) * barLength(before);
    starts.push({ point, tick });
  });
  const first = starts[0];
  if (!first) throw new RangeError("a meter map has at least one point");
  const atBar = (bar: number) => starts.findLast((s) => s.point.bar <= bar) ?? first;
  const atTick = (at: Ticks) => starts.findLast((s) => s.tick <= at) ?? first;
  return {
    barToTick(bar) {
      const start = atBar(bar);
      return start.tick + (bar - start.point.bar) * barLength(start.point);
    },
    position(at) {
      const { point, tick: start } = atTick(at);
      const into = at - start;
      const bars = Math.floor(into / barLength(point));
      const rest = into - bars * barLength(point);
      const beats = Math.floor(rest / beatLength(point));
      return { bar: point.bar + bars, beat: beats + 1, tick: rest - beats * beatLength(point) };
    },
    meterAt: (bar) => atBar(bar).point,
    beatTicks: (at) => beatLength(atTick(at).point),
  };
}

/** `17.3.240`: bar, beat, ticks. */
export const formatPosition = (p: BarPosition): string =>
  `${p.bar}.${p.beat}.${String(Math.round(p.tick)).padStart(3, "0")}`;
