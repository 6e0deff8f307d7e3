"use client";

import type { Automation } from "../../core/session/document";
import type { LaneTarget } from "../../core/session/lanes";
import { withPoint } from "../../core/session/lanes";
import { Button } from "../parts/button";
import { Choice } from "../parts/choice";
import { NumberField } from "../parts/number-field";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import type { AutomationPoint } from "./automation-gesture";

interface PanelProps {
  readonly lane: Automation;
  readonly target: LaneTarget;
  readonly point: AutomationPoint;
  readonly put: (label: string, points: readonly AutomationPoint[]) => boolean;
  readonly choose: (tick: number | null) => void;
}

/** The chosen point in numbers. */
export function PointPanel({ lane, target, point, put, choose }: PanelProps) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const clock = clockOf(session);
  const at = lane.points.indexOf(point);
  const set = (patch: Partial<AutomationPoint>) =>
    put(`Move a point of ${target.name}`, withPoint(lane.points, { ...point, ...patch }, point));
  const go = (by: number) => choose(lane.points[at + by]?.tick ?? point.tick);
  return (
    <div role="group" aria-label="Chosen point">
      <p className="flex items-baseline gap-2">
        <b>{target.name}</b>{" "}
        <span className="figure text-soft">bar {barText(clock, clock.tempo.toFrames(point.tick))}</span>
      </p>
      <div className="mt-2 grid grid-cols-[64px_1fr] items-center gap-x-3 gap-y-1.5">
        <span className="text-soft">value</span>
        <span>
          <NumberField
            label="Value of the point"
            value={point.value}
            min={target.min}
            max={target.max}
            digits={2}
            onCommit={(value) => set({ value })}
            className="w-20"
          />{" "}
          {target.unit}
        </span>
        <span className="text-soft">from here</span>
        <span className="flex items-center gap-2">
          <Choice
            label="How it moves from here"
            value={point.shape}
            className="w-36"
            onChange={(shape) => set({ shape, bend: shape === "curved" ? point.bend || 0.4 : 0 })}
            options={[
              { value: "hold", label: "stays, then jumps" },
              { value: "linear", label: "in a line" },
              { value: "curved", label: "in a bend" },
            ]}
          />
          {point.shape === "curved" && (
            <>
              <NumberField
                label="Bend"
                value={point.bend}
                min={-1}
                max={1}
                digits={2}
                onCommit={(bend) => set({ bend })}
                className="w-14"
              />{" "}
              bend
            </>
          )}
        </span>
      </div>
      <div className="mt-3 flex gap-2">
        <Button disabled={at <= 0} onClick={() => go(-1)}>
          Before
        </Button>
        <Button disabled={at >= lane.points.length - 1} onClick={() => go(1)}>
          Next
        </Button>
        <span className="flex-1" />
        <Button
          kind="quiet"
          disabled={lane.points.length === 1}
          onClick={() => {
            put(
              `Remove a point of ${target.name}`,
              lane.points.filter((p) => p !== point),
            );
            choose(null);
          }}
        >
          Remove
        </Button>
      </div>
    </div>
  );
}
