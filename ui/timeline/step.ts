import type { Frames } from "../../core/units";
import type { Clock } from "../session/clock";
import { useBenchSettings } from "./settings";
import { gridTick } from "./snap";

/** A place some steps on, by what the settings call a step: a part of the grid, or a length of time. */
export function stepped(clock: Clock, from: Frames, steps: number): Frames {
  const { nudge, grid } = useBenchSettings.getState();
  if (nudge === "1 frame") return from + steps;
  if (nudge !== "grid") return from + steps * Math.round((Number.parseFloat(nudge) / 1000) * clock.rate);
  const tick = clock.tempo.toTicks(from);
  const beat = clock.meter.beatTicks(tick);
  const line =
    grid === "bar"
      ? clock.meter.barToTick(clock.meter.position(tick).bar + 1) -
        clock.meter.barToTick(clock.meter.position(tick).bar)
      : grid === "1/2"
        ? beat / 2
        : grid === "1/3"
          ? beat / 3
          : grid === "1/4"
            ? beat / 4
            : beat;
  return clock.tempo.toFrames(Math.max(0, gridTick(clock, tick + steps * line, "none")));
}
