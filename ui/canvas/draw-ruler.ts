import type { Session } from "../../core/session/document";
import type { Clock } from "../session/clock";
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
