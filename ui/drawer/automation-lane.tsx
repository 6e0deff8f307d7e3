"use client";

import { curveOf } from "../../core/engine/automation";
import type { Automation } from "../../core/session/document";
import type { LaneTarget } from "../../core/session/lanes";
import { formatNumber } from "../../core/words/numbers";
import { pathOf } from "../canvas/path";
import { pointOf, useGesture } from "../canvas/use-gesture";
import { itemMenu } from "../parts/item-menu";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { useBenchSettings } from "../timeline/settings";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import type { AutomationDone, AutomationPoint, AutomationWorld } from "./automation-gesture";
import { LANE_PX, automationGesture, automationKey, newPoint, pointEntries, yOfValue } from "./automation-gesture";

/** Points drawn at once; more are closer together than a hand can tell. */
const MOST_POINTS = 500;
/** The line between two points can be bent where it is at least so wide, in CSS pixels. */
const BENDABLE_PX = 26;

interface Props {
  readonly lane: Automation;
  readonly target: LaneTarget;
  /** CSS pixels. */
  readonly width: number;
  /** Tick of the chosen point. */
  readonly chosen: number | null;
  readonly choose: (tick: number | null) => void;
  readonly put: (label: string, points: readonly AutomationPoint[]) => boolean;
}

function valueText({ unit, taper, min }: LaneTarget, value: number): string {
  if (taper === "switch") return value >= 0.5 ? "on" : "off";
  if (unit === "dB" && min === -144 && value <= -144) return "off";
  return `${formatNumber(value, Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2)} ${unit}`.trim();
}

/** What moves, as a line through points that are set, dragged, bent and removed. */
export function AutomationLane({ lane, target, width, chosen, choose, put }: Props) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const bench = useBenchView();
  const grid = useBenchSettings((s) => s.grid);
  const clock = clockOf(session);
  const view = shownView(bench);
  const world: AutomationWorld = { points: lane.points, target, clock, view, grid };
  const done = ({ label, points, choose: tick }: AutomationDone) => {
    if (put(label, points)) choose(tick);
  };
  const gesture = useGesture(automationGesture(world), {
    began: (hold) => hold && choose(hold.point.tick),
    done,
    surfaceOf: (handle) => handle.closest("svg") ?? handle,
    slackPx: 1,
    through: false,
  });
  const points = gesture.shown ?? lane.points;
  const y = (value: number) => yOfValue(target, value);
  const x = (tick: number) => xOf(view, clock.tempo.toFrames(tick));
  const curve = curveOf({ ...lane, points }, clock.tempo, target.taper);
  const curveY = (px: number) => y(curve(Math.max(0, frameAt(view, px))));
  const seen = points.filter((p) => x(p.tick) >= -10 && x(p.tick) <= width + 10).slice(0, MOST_POINTS);
  return (
    <svg
      width={width}
      height={LANE_PX}
      className="block touch-none border-b border-rule bg-lift"
      role="group"
      aria-label={`${target.name}, ${lane.points.length} points`}
      onPointerDown={(event) => event.button === 0 && done(newPoint(world, pointOf(event)))}
    >
      <line x1="0" x2={width} y1={y(target.now)} y2={y(target.now)} stroke="var(--rule)" strokeDasharray="2 3" />
      <path
        d={pathOf(0, width, curveY)}
        fill="none"
        stroke="var(--ink)"
        strokeWidth="1.4"
        className="pointer-events-none"
      />
      {seen.map((p, i) => {
        const index = points.indexOf(p);
        // While it is pulled a point is another one: it stays the one that was pressed.
        const stored = lane.points[index] ?? p;
        const next = points[index + 1];
        const canBend = next && p.shape !== "hold" && x(next.tick) - x(p.tick) > BENDABLE_PX;
        const middle = canBend ? (x(p.tick) + x(next.tick)) / 2 : null;
        return (
          <g key={index}>
            {middle !== null && (
              <circle
                cx={middle}
                cy={curveY(middle)}
                r="4"
                fill="var(--paper-lift)"
                stroke="var(--ink-soft)"
                className="cursor-ns-resize"
                {...gesture.on<SVGCircleElement>({ what: "bend", point: stored })}
              />
            )}
            <rect
              x={x(p.tick) - 4.5}
              y={y(p.value) - 4.5}
              width="9"
              height="9"
              fill={chosen === p.tick ? "var(--spot)" : "var(--ink)"}
              stroke="var(--paper-lift)"
              className="cursor-grab"
              role="button"
              tabIndex={0}
              aria-pressed={chosen === p.tick}
              aria-label={`Point ${i + 1} of ${target.name}: bar ${barText(clock, clock.tempo.toFrames(p.tick))}, ${valueText(target, p.value)}`}
              onFocus={() => choose(p.tick)}
              onKeyDown={(event) => {
                const made = automationKey(event.key, world, stored);
                if (!made) return;
                event.preventDefault();
                done(made);
              }}
              {...gesture.on<SVGRectElement>({ what: "point", point: stored })}
              {...itemMenu(`Point of ${target.name}`, () => pointEntries(world, stored, done))}
            />
          </g>
        );
      })}
    </svg>
  );
}
