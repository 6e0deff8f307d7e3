import type { Frames } from "../../core/units";
import type { CloseUp } from "../canvas/close-up";
import { extremes } from "../canvas/overviews";
import type { LanesPicture } from "./lanes-picture";

export const PAD = 4;

/**
 * The edges of a wave between two pixels, a column a pixel: where it begins, how many columns, and their upper and
 * lower edges. Valid until the next one is made.
 */
export interface Wave {
  readonly x: number;
  readonly right: number;
  /** Pixel of the first column. */
  readonly from: number;
  readonly columns: number;
  readonly tops: Float32Array;
  readonly lows: Float32Array;
}

/** Reused from wave to wave: there are hundreds in a picture. */
let edges = { tops: new Float32Array(0), lows: new Float32Array(0) };

/** What is drawn where. */
interface Shown {
  /** Frame of the overview at a pixel. */
  readonly frameOf: (x: number) => Frames;
  /** Scales what stands at a pixel. */
  readonly level: (x: number) => number;
  /** Samples, where one looks closer than the overview. */
  readonly closeUps?: readonly CloseUp[];
}

/** The wave of an overview between two pixels; null as long as that has not come. */
export function wave(
  p: LanesPicture,
  overview: Int8Array | null,
  x: number,
  right: number,
  y: number,
  { frameOf, level, closeUps = [] }: Shown,
): Wave | null {
  if (!overview) return null;
  const between = (one: Frames, other: Frames): readonly [low: number, high: number] => {
    if (closeUps.length === 0) return extremes(overview, one, other);
    let [low, high] = [0, 0];
    for (const side of closeUps) {
      const [l, h] = side.extremes(one, other);
      low = Math.min(low, 127 * l);
      high = Math.max(high, 127 * h);
    }
    return [low, high];
  };
  const middle = y + p.rowHeight / 2;
  const half = p.rowHeight / 2 - PAD - 1;
  const from = Math.max(-1, Math.floor(x));
  const columns = Math.min(p.width + 1, Math.ceil(right)) - from + 1;
  if (edges.tops.length < columns) edges = { tops: new Float32Array(columns), lows: new Float32Array(columns) };
  const { tops, lows } = edges;
  for (let i = 0; i < columns; i++) {
    const at = Math.max(x, Math.min(right, from + i));
    const [one, other] = [frameOf(at), frameOf(at + 1)];
    const [low, high] = between(Math.min(one, other), Math.max(one, other));
    const gain = level(at);
    tops[i] = middle - Math.max(0.6, shown(high * gain) * half);
    lows[i] = middle + Math.max(0.6, shown(-low * gain) * half);
  }
  return { x, right, from, columns, tops, lows };
}

/** Lays the wave's shape into the context's path: highs to the right, lows back. */
export function shape(c: CanvasRenderingContext2D, { x, right, from, columns, tops, lows }: Wave): void {
  c.beginPath();
  for (let i = 0; i < columns; i++) c.lineTo(Math.max(x, Math.min(right, from + i)), tops[i] as number);
  for (let i = columns - 1; i >= 0; i--) c.lineTo(Math.max(x, Math.min(right, from + i)), lows[i] as number);
  c.closePath();
}

/**
 * The same, smaller by `rim` pixels on every side. Filled over the whole it leaves an outline, at a fraction of what
 * stroking a jagged line costs.
 */
export function hollow(c: CanvasRenderingContext2D, { x, right, from, columns, tops, lows }: Wave, rim: number): void {
  const top = (i: number) => Math.max(tops[i - 1] as number, tops[i] as number, tops[i + 1] as number) + rim;
  const low = (i: number) => Math.min(lows[i - 1] as number, lows[i] as number, lows[i + 1] as number) - rim;
  const at = (i: number) => Math.max(x + rim, Math.min(right - rim, from + i));
  c.beginPath();
  for (let i = 1; i < columns - 1; i++) {
    if (low(i) <= top(i)) continue;
    // One piece a stretch in which there is room inside.
    const first = i;
    for (; i < columns - 1 && low(i) > top(i); i++) {
      if (i === first) c.moveTo(at(i), top(i));
      else c.lineTo(at(i), top(i));
    }
    for (let k = i - 1; k >= first; k--) c.lineTo(at(k), low(k));
    c.closePath();
  }
}

/** Height of a magnitude of 0 to 127: a root, so that quiet audio can be seen at row height. */
const shown = (magnitude: number) => Math.min(1, Math.sqrt(magnitude / 127));

/** Single samples this many pixels apart get a dot each. */
const DOT_FROM_PX = 5;

/**
 * Draws samples one by one, joined by a line: as they stand, above and below the middle. `xOf`: the pixel of a frame of
 * the asset.
 */
export function samples(
  c: CanvasRenderingContext2D,
  p: LanesPicture,
  { at }: CloseUp,
  {
    first,
    last,
    y,
    xOf,
    level,
  }: {
    readonly first: Frames;
    readonly last: Frames;
    readonly y: number;
    readonly xOf: (frame: Frames) => number;
    readonly level: (x: number) => number;
  },
): void {
  const middle = y + p.rowHeight / 2;
  const half = p.rowHeight / 2 - PAD - 1;
  const height = (frame: Frames, x: number) => {
    const value = at(frame) * level(x);
    return middle - Math.sign(value) * shown(127 * Math.abs(value)) * half;
  };
  c.beginPath();
  for (let frame = first; frame <= last; frame++) c.lineTo(xOf(frame), height(frame, xOf(frame)));
  c.stroke();
  if (Math.abs(xOf(first + 1) - xOf(first)) < DOT_FROM_PX) return;
  for (let frame = first; frame <= last; frame++) {
    const x = xOf(frame);
    c.fillRect(x - 1.5, height(frame, x) - 1.5, 3, 3);
  }
}
