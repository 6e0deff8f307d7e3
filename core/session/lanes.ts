import { declarationOf } from "../devices/catalogue";
import type { ParamDeclaration } from "../devices/device";
import { completeParams } from "../devices/device";
import { exp, log } from "../math";
import type { Automation, Session, Track } from "./document";
import type { Edit } from "./edits";

/** What automation can move on a track: where it points, its name, its range and how a drawing travels through it. */
export interface LaneTarget {
  readonly target: Automation["target"];
  readonly of: string | null;
  readonly param: string | null;
  readonly name: string;
  readonly unit: ParamDeclaration["unit"] | "";
  readonly min: number;
  readonly max: number;
  readonly taper: ParamDeclaration["taper"];
  /** The value at rest, which a new lane begins with. */
  readonly now: number;
}

/** Below this a gain is drawn at the floor, and put at the floor it is off. */
const FLOOR_DB = -60;
const OFF_DB = -144;
const TOP_DB = 12;

/** Everything on a track that automation can move, whether or not it does. */
export function laneTargets(session: Session, track: Track): readonly LaneTarget[] {
  const gain = { unit: "dB", min: OFF_DB, max: TOP_DB, taper: "linear", param: null } as const;
  return [
    { target: "fader", of: null, name: "fader", now: track.faderDb, ...gain },
    ...(track.kind === "mix"
      ? []
      : [
          {
            target: "pan",
            of: null,
            param: null,
            name: "pan",
            unit: "",
            min: -1,
            max: 1,
            taper: "linear",
            now: track.pan,
          } as const,
          {
            target: "mute",
            of: null,
            param: null,
            name: "mute",
            unit: "",
            min: 0,
            max: 1,
            taper: "switch",
            now: track.mute ? 1 : 0,
          } as const,
        ]),
    ...track.sends.map((s): LaneTarget => ({
      target: "send",
      of: s.id,
      name: `send to ${session.tracks.find((t) => t.id === s.to)?.name ?? "a return"}`,
      now: s.gainDb,
      ...gain,
    })),
    ...track.devices.flatMap((d): LaneTarget[] => {
      const declaration = declarationOf(d.type);
      if (!declaration) return [];
      const values = completeParams(declaration, d.params);
      return declaration.params
        .filter((p) => !p.fixed)
        .map((p) => ({
          target: "param",
          of: d.id,
          param: p.id,
          name: `${declaration.name}: ${p.name}`,
          unit: p.unit,
          min: p.min,
          max: p.max,
          taper: p.taper,
          now: values[p.id] ?? p.default,
        }));
    }),
  ];
}

export const sameTarget = (
  a: Pick<Automation, "target" | "of" | "param">,
  b: Pick<Automation, "target" | "of" | "param">,
): boolean => a.target === b.target && a.of === b.of && a.param === b.param;

/** Where a value stands in a lane's drawing, 0 at the foot to 1 at the top; and back. */
export function lanePosition({ unit, min, max, taper }: LaneTarget, value: number): number {
  if (unit === "dB" && min === OFF_DB) return Math.max(0, (value - FLOOR_DB) / (max - FLOOR_DB));
  return taper === "log" ? log(value / min) / log(max / min) : (value - min) / (max - min);
}

export function laneValue({ unit, min, max, taper }: LaneTarget, position: number): number {
  const at = Math.max(0, Math.min(1, position));
  if (unit === "dB" && min === OFF_DB)
    return at === 0 ? OFF_DB : Math.round((FLOOR_DB + at * (max - FLOOR_DB)) * 10) / 10;
  if (taper === "switch" || taper === "steps") return Math.round(min + at * (max - min));
  const value = taper === "log" ? min * exp(at * log(max / min)) : min + at * (max - min);
  const digits = Math.abs(value) >= 100 ? 1 : Math.abs(value) >= 10 ? 10 : 100;
  return Math.max(min, Math.min(max, Math.round(value * digits) / digits));
}

/** A lane that holds what is there now, from the beginning on. */
export const addLane = (track: Track, { target, of, param, now }: LaneTarget, newId: () => string): readonly Edit[] => {
  const lane: Automation = {
    id: newId(),
    target,
    of,
    param,
    points: [{ tick: 0, value: now, shape: "linear", bend: 0 }],
  };
  return [
    {
      do: "add",
      in: "automation",
      track: track.id,
      item: { ...lane, points: lane.points.map((p) => ({ ...p })) },
      index: track.automation.length,
    },
  ];
};

type Point = Automation["points"][number];

/**
 * Points of a lane with one put in, taken out or moved; ticks rise, and of two on one tick the one that was touched
 * stays.
 */
export const withPoint = (points: readonly Point[], point: Point, instead: Point | null = null): readonly Point[] =>
  [...points.filter((p) => p !== instead && p.tick !== point.tick), point].sort((a, b) => a.tick - b.tick);
