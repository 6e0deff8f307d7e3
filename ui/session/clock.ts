import type { Session } from "../../core/session/document";
import { sessionEnd } from "../../core/engine/render";
import type { MeterMap } from "../../core/time/meter";
import { formatPosition, meterMap } from "../../core/time/meter";
import type { TempoMap } from "../../core/time/tempo";
import { tempoMap } from "../../core/time/tempo";
import type { Frames } from "../../core/units";

/** The session's time, ready for drawing. */
export interface Clock {
  readonly tempo: TempoMap;
  readonly meter: MeterMap;
  readonly rate: number;
  /** End of everything placed, in frames. */
  readonly end: Frames;
}

const known = new WeakMap<Session, Clock>();

export function clockOf(session: Session): Clock {
  const before = known.get(session);
  if (before) return before;
  const clock = {
    tempo: tempoMap(session.tempo, session.rate),
    meter: meterMap(session.meter, session.leadIn),
    rate: session.rate,
    end: sessionEnd(session),
  };
  known.set(session, clock);
  return clock;
}

/** The bar that a frame of the timeline lies in, from 1. */
export const barOf = ({ meter, tempo }: Clock, frame: Frames): number => meter.position(tempo.toTicks(frame)).bar;

/** `17.3.240` for a frame. */
export const barText = (clock: Clock, frame: Frames): string =>
  formatPosition(clock.meter.position(clock.tempo.toTicks(frame)));
