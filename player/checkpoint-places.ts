import type { Session } from "../core/session/document";
import { meterMap } from "../core/time/meter";
import { tempoMap } from "../core/time/tempo";
import type { Frames, Seconds } from "../core/units";

/** Within a bar, places are this far from each other, counted from its first frame. */
const EVERY_S: Seconds = 1;

/**
 * Where playing leaves checkpoints: at bars, since most seeks go to one, and every second within a bar. Two places are
 * at least half a second apart. Gives the first place after a frame that is a place itself, or zero.
 */
export function checkpointPlaces({ tempo: points, meter: meters, leadIn, rate }: Session): (after: Frames) => Frames {
  const tempo = tempoMap(points, rate);
  const meter = meterMap(meters, leadIn);
  const frameOf = (bar: number): Frames => tempo.toFrames(Math.max(0, meter.barToTick(bar)));
  const [every, least] = [EVERY_S * rate, (EVERY_S / 2) * rate];
  return (after) => {
    const { bar } = meter.position(tempo.toTicks(after));
    let next = bar + 1;
    while (frameOf(next) < after + least) next++;
    const start = frameOf(bar);
    const within = start + Math.ceil((after + least - start) / every) * every;
    return within + least > frameOf(next) ? frameOf(next) : within;
  };
}
