import type { Ticks } from "../units";
import type { Session } from "./document";
import type { Edit } from "./edits";

type TempoPoint = Session["tempo"][number];
type MeterPoint = Session["meter"][number];

/**
 * From a tick on the tempo is another, up to the next change; a change that stands there already is changed. Notes
 * follow it, audio stays where it is in time.
 */
export const setTempo = (session: Session, point: TempoPoint): readonly Edit[] => [
  {
    do: "set session",
    patch: { tempo: [...session.tempo.filter((p) => p.tick !== point.tick), point].sort((a, b) => a.tick - b.tick) },
  },
];

/** Takes a change of tempo away; the first one stays, as there is always a tempo. */
export const removeTempo = (session: Session, tick: Ticks): readonly Edit[] =>
  tick === 0 || !session.tempo.some((p) => p.tick === tick)
    ? []
    : [{ do: "set session", patch: { tempo: session.tempo.filter((p) => p.tick !== tick) } }];

/**
 * From a bar on bars have another meter, up to the next change. What is placed keeps its beats: only the bar lines
 * move.
 */
export const setMeter = (session: Session, point: MeterPoint): readonly Edit[] => [
  {
    do: "set session",
    patch: { meter: [...session.meter.filter((p) => p.bar !== point.bar), point].sort((a, b) => a.bar - b.bar) },
  },
];

/** Takes a change of meter away; the first one stays. */
export const removeMeter = (session: Session, bar: number): readonly Edit[] =>
  bar === 1 || !session.meter.some((p) => p.bar === bar)
    ? []
    : [{ do: "set session", patch: { meter: session.meter.filter((p) => p.bar !== bar) } }];
