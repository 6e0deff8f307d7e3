import type { ItemEntry } from "../parts/item-menu";
import type { Automation } from "../../core/session/document";
import type { LaneTarget } from "../../core/session/lanes";
import { lanePosition, laneValue, withPoint } from "../../core/session/lanes";
import type { Ticks } from "../../core/units";
import type { Gesture, Point } from "../canvas/gesture";
import type { Clock } from "../session/clock";
import type { Grid } from "../timeline/settings";
import { snapTick } from "../timeline/snap";
import type { LaneView } from "../timeline/view";
import { frameAt } from "../timeline/view";

export type AutomationPoint = Automation["points"][number];

/** Height of a lane, and how far its values keep from its edges, in CSS pixels. */
export const LANE_PX = 84;
const PAD_PX = 10;
const VALUE_PX = LANE_PX - 2 * PAD_PX;
/** Pixels over which a full bend of the line is dragged. */
const BEND_PX = 50;
/** Less than this is no bend. */
const STRAIGHT = 0.04;
/** How near to the session's start a lane's only point stays at its start. */
const START_TICKS: Ticks = 240;
const KEY_STEP = 0.02;

export interface AutomationWorld {
  readonly points: readonly AutomationPoint[];
  readonly target: LaneTarget;
  readonly clock: Clock;
  readonly view: LaneView;
  readonly grid: Grid;
}

/** A point, or the line behind it. */
export interface AutomationHandle {
  readonly what: "point" | "bend";
  readonly point: AutomationPoint;
}

type Hold = AutomationHandle & { readonly y: number };

export interface AutomationDone {
  readonly label: string;
  readonly points: readonly AutomationPoint[];
  readonly choose: Ticks | null;
}

export const yOfValue = (target: LaneTarget, value: number): number =>
  PAD_PX + (1 - lanePosition(target, value)) * VALUE_PX;

/** Tick and value under a point. */
export function automationPlace({ target, clock, view, grid }: AutomationWorld, { x, y, free }: Point) {
  const tick = clock.tempo.toTicks(Math.round(Math.max(0, frameAt(view, x))));
  return {
    tick: snapTick(clock, tick, free ? null : { grid, targets: [], reach: 0 }),
    value: laneValue(target, 1 - (y - PAD_PX) / VALUE_PX),
  };
}

/** A press beside every point: a new one, which goes on as the one before it does. */
export function newPoint(world: AutomationWorld, point: Point): AutomationDone {
  const { points, target } = world;
  const { tick, value } = automationPlace(world, point);
  const before = points.findLast((p) => p.tick <= tick);
  const isStepped = target.taper === "switch" || target.taper === "steps";
  const shape = isStepped ? "hold" : (before?.shape ?? "linear");
  const made = { tick, value, shape, bend: before?.bend ?? 0 };
  return { label: `Set a point of ${target.name}`, points: withPoint(points, made), choose: tick };
}

/** What a key does to a point; null: nothing. */
export function automationKey(
  key: string,
  { points, target }: Pick<AutomationWorld, "points" | "target">,
  point: AutomationPoint,
): AutomationDone | null {
  if (key === "Delete")
    return points.length < 2
      ? null
      : { label: `Remove a point of ${target.name}`, points: points.filter((p) => p !== point), choose: null };
  if (key !== "ArrowUp" && key !== "ArrowDown") return null;
  const by = key === "ArrowUp" ? KEY_STEP : -KEY_STEP;
  const value = laneValue(target, lanePosition(target, point.value) + by);
  if (value === point.value) return null;
  return {
    label: `Move a point of ${target.name}`,
    points: withPoint(points, { ...point, value }, point),
    choose: point.tick,
  };
}

/** What can be done with a point of automation. */
export function pointEntries(
  world: AutomationWorld,
  point: AutomationPoint,
  done: (done: AutomationDone) => void,
): readonly ItemEntry[] {
  const { points, target } = world;
  const isStepped = target.taper === "switch" || target.taper === "steps";
  const shaped = (label: string, shape: AutomationPoint["shape"]): ItemEntry => ({
    label,
    run: () =>
      done({
        label: `Shape of ${target.name}`,
        points: withPoint(points, { ...point, shape, bend: 0 }, point),
        choose: point.tick,
      }),
    blocked: point.shape === shape ? "It is so already" : isStepped && shape !== "hold" ? "It moves in steps" : null,
  });
  const at = points.indexOf(point);
  const remove = automationKey("Delete", world, point);
  return [
    {
      label: "Delete point",
      key: "Delete",
      run: () => remove && done(remove),
      blocked: remove ? null : "It is the last one",
    },
    shaped("Hold until the next", "hold"),
    shaped("Straight to the next", "linear"),
    {
      label: "Delete points after",
      run: () =>
        done({ label: `Remove points of ${target.name}`, points: points.slice(0, at + 1), choose: point.tick }),
      blocked: at === points.length - 1 ? "There are none" : null,
    },
  ];
}

/** Points dragged, and the lines between them bent; what is shown are all points of the lane. */
export function automationGesture(
  world: AutomationWorld,
): Gesture<Hold, readonly AutomationPoint[], AutomationDone, AutomationHandle> {
  const { points, target } = world;
  /** The point that is held, as it would be. */
  const pulled = ({ what, point, y }: Hold, to: Point): AutomationPoint => {
    if (what === "point") {
      const { tick, value } = automationPlace(world, to);
      const staysFirst = points.length === 1 && point.tick === 0 && Math.abs(tick) < START_TICKS;
      return { ...point, tick: staysFirst ? 0 : tick, value };
    }
    const next = points[points.indexOf(point) + 1];
    const isRising = !next || lanePosition(target, next.value) >= lanePosition(target, point.value);
    const bend = Math.max(-1, Math.min(1, point.bend + ((to.y - y) / BEND_PX) * (isRising ? 1 : -1)));
    return Math.abs(bend) < STRAIGHT
      ? { ...point, shape: "linear", bend: 0 }
      : { ...point, shape: "curved", bend: Math.round(bend * 100) / 100 };
  };
  return {
    begin: ({ y }, handle) => ({ ...handle, y }),
    move: (hold, to) => withPoint(points, pulled(hold, to), hold.point),
    end(hold, to, moved) {
      if (!moved) return null;
      const made = pulled(hold, to);
      const label = hold.what === "bend" ? `Bend ${target.name}` : `Move a point of ${target.name}`;
      return { label, points: withPoint(points, made, hold.point), choose: made.tick };
    },
  };
}
