import type { Session } from "../../core/session/document";
import type { Clock } from "../session/clock";
import { formatPosition } from "../../core/time/meter";
import type { Inks } from "./inks";
import type { LaneView } from "../timeline/view";
import { frameAt, xOf } from "../timeline/view";

const MIN_LABEL_PX = 46;

/** Beats nearer to each other than this are not drawn. */
const FEWEST_BEAT_PX = 14;

/** Room that the name of a change needs. */
const LABEL_PX = 34;

/** Bars from `first` on, `step` apart, so that their numbers do not touch. */
function barStep(
  clock: Clock,
  view: LaneView,
  width: number,
): { readonly first: number; readonly last: number; readonly step: number } {
  const barAt = (x: number) => clock.meter.position(clock.tempo.toTicks(Math.max(0, frameAt(view, x)))).bar;
  const first = barAt(0);
  const last = barAt(width) + 1;
  const wide = width / Math.max(1, last - first);
  const step = [1, 2, 4, 8, 16, 32, 64, 128].find((s) => s * wide >= MIN_LABEL_PX) ?? 256;
  return { first: first - ((first - 1) % step), last, step };
}

/** Bar numbers and ticks, with every change of meter and tempo where it happens. */
export function drawRuler(
  c: CanvasRenderingContext2D,
  session: Session,
  clock: Clock,
  view: LaneView,
  width: number,
  height: number,
  inks: Inks,
): void {
  c.clearRect(0, 0, width, height);
  c.font = inks.mono;
  c.textBaseline = "alphabetic";
  const { first, last, step } = barStep(clock, view, width);
  const barX = (bar: number) => Math.round(xOf(view, clock.tempo.toFrames(clock.meter.barToTick(bar)))) + 0.5;
  c.strokeStyle = inks.faint;
  c.fillStyle = inks.ink;
  c.lineWidth = 1;
  for (let bar = first; bar <= last; bar++) {
    const named = (bar - 1) % step === 0;
    if (!named && step > 8) continue;
    const x = barX(bar);
    c.beginPath();
    c.moveTo(x, named ? height - 13 : height - 5);
    c.lineTo(x, height);
    c.stroke();
    if (named) c.fillText(String(bar), x + 3, height - 4);
  }
  if (step === 1) drawCloseRuler(c, clock, view, width, height, inks);
  c.fillStyle = inks.signal;
  for (const [i, point] of session.meter.entries()) {
    const x = barX(point.bar);
    const next = session.meter[i + 1];
    // A change that lasts only a bar or two has no room of its own: the change back is left to the eye that zooms in.
    const before = i > 1 ? barX(session.meter[i - 1]?.bar ?? 1) : -Infinity;
    if (i > 0 && x > -40 && x < width && x - before > LABEL_PX)
      c.fillText(
        `${point.numerator}/${point.denominator}${next && barX(next.bar) - x <= LABEL_PX ? "…" : ""}`,
        x + 3,
        height - 20,
      );
  }
  for (const [i, point] of session.tempo.entries()) {
    const x = xOf(view, clock.tempo.toFrames(point.tick));
    if (i > 0 && x > -40 && x < width)
      c.fillText(`${point.bpm}${point.shape === "ramp" ? "…" : ""}`, x + 3, height - 20);
  }
}

/** Room that a place between bars, and a time, need. */
const PLACE_PX = 74;
const TIME_PX = 84;
/** Steps of a place, in ticks of a beat of 960, and of time, in milliseconds. */
const TICK_STEPS = [960, 480, 240, 120, 60, 30, 10, 5, 1];
const MS_STEPS = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000];

/** Between bars: beats and ticks below, the time above. */
function drawCloseRuler(
  c: CanvasRenderingContext2D,
  clock: Clock,
  view: LaneView,
  width: number,
  height: number,
  inks: Inks,
): void {
  const from = Math.max(0, view.start);
  const [firstTick, lastTick] = [clock.tempo.toTicks(from), clock.tempo.toTicks(frameAt(view, width))];
  const x = (tick: number) => xOf(view, clock.tempo.toFrames(tick));
  const perTick = width / Math.max(1e-9, lastTick - firstTick);
  const step = TICK_STEPS.findLast((s) => s * perTick >= PLACE_PX);
  if (step === undefined) return;
  c.fillStyle = inks.soft;
  // Frames are whole: a tick between two of them is drawn where it is, not where the nearest frame is.
  const exactX = (tick: number) => x(firstTick) + (tick - firstTick) * perTick;
  const placeX = perTick > 1 ? exactX : x;
  for (let tick = Math.ceil(firstTick / step) * step; tick <= lastTick; tick += step) {
    const place = clock.meter.position(tick);
    const at = Math.round(placeX(tick)) + 0.5;
    const isBar = place.beat === 1 && Math.round(place.tick) === 0;
    if (isBar) continue;
    c.fillRect(at - 0.5, height - 8, 1, 8);
    c.fillText(formatPosition(place), at + 3, height - 4);
  }
  const perMs = clock.rate / 1000 / view.framesPerPixel;
  const ms = MS_STEPS.find((s) => s * perMs >= TIME_PX) ?? 10_000;
  const digits = ms >= 1 ? 3 : ms >= 0.1 ? 4 : 5;
  for (let k = Math.ceil((from * 1000) / clock.rate / ms); ; k++) {
    const at = xOf(view, (k * ms * clock.rate) / 1000);
    if (at > width) break;
    c.fillRect(Math.round(at), 0, 1, 5);
    c.fillText(clockText((k * ms) / 1000, digits), at + 3, 9);
  }
}

/** `0:07.5120`. */
function clockText(seconds: number, digits: number): string {
  const minutes = Math.floor(seconds / 60 + 1e-9);
  return `${minutes}:${Math.max(0, seconds - 60 * minutes)
    .toFixed(digits)
    .padStart(digits + 3, "0")}`;
}

/** Faint bar lines behind the lanes, and fainter ones at the beats where there is room. */
export function drawGrid(
  c: CanvasRenderingContext2D,
  clock: Clock,
  view: LaneView,
  width: number,
  height: number,
  inks: Inks,
): void {
  const { first, last, step } = barStep(clock, view, width);
  const x = (tick: number) => Math.round(xOf(view, clock.tempo.toFrames(tick)));
  c.fillStyle = inks.rule;
  for (let bar = first; bar <= last; bar += step) c.fillRect(x(clock.meter.barToTick(bar)), 0, 1, height);
  if (step > 1) return;
  c.fillStyle = inks.dotted;
  for (let bar = first; bar <= last; bar++) {
    const start = clock.meter.barToTick(bar);
    const beat = clock.meter.beatTicks(start);
    if (x(start + beat) - x(start) < FEWEST_BEAT_PX) continue;
    for (let tick = start + beat; tick < clock.meter.barToTick(bar + 1); tick += beat) {
      c.fillRect(x(tick), 0, 1, height);
    }
  }
}
