"use client";

import { usePulls } from "../parts/pull";
import { Plus, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type PointerEvent } from "react";
import { curveOf } from "../../core/engine/automation";
import type { Automation, Track } from "../../core/session/document";
import type { LaneTarget } from "../../core/session/lanes";
import { addLane, lanePosition, laneTargets, laneValue, sameTarget, withPoint } from "../../core/session/lanes";
import { Menu, MenuItem } from "../parts/menu";
import { formatNumber } from "../../core/words/numbers";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { Columns } from "./drawer-columns";
import { BenchPlayhead } from "../timeline/playhead";
import { useBenchSettings } from "../timeline/settings";
import { snapTick } from "../timeline/snap";
import { frameAt, shownView, useBenchView, xOf } from "../timeline/view";
import { PointPanel } from "./point-panel";
import { difference } from "../../core/session/values";

export type Point = Automation["points"][number];

const LANE_PX = 84;
const PAD_PX = 10;
/** Points drawn at once; more are closer together than a hand can tell. */
const MOST_POINTS = 500;

/** What moves on a track: a lane for each, with points that are put, dragged, bent and removed. */
export function AutomationLanes({ track, width }: { readonly track: Track; readonly width: number }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const [chosen, setChosen] = useState<{ readonly lane: string; readonly tick: number } | null>(null);
  const name = trackName(track);
  const targets = laneTargets(session, track);
  const free = targets.filter((t) => !track.automation.some((a) => sameTarget(a, t)));
  const lanes = track.automation.map((lane) => ({ lane, target: targets.find((t) => sameTarget(t, lane)) ?? null }));
  const put = (lane: Automation, label: string, points: readonly Point[]) =>
    edit(`${label} on ${name}`, [
      {
        do: "replace",
        in: "automation",
        track: track.id,
        id: lane.id,
        ...difference<"automation">(lane.points, points),
      },
    ]);
  const remove = (lane: Automation, what: string) =>
    edit(`Remove the automation of ${what} on ${name}`, [
      { do: "remove", in: "automation", track: track.id, id: lane.id },
    ]);
  const selected = lanes.find((l) => l.lane.id === chosen?.lane);
  const point = selected?.lane.points.find((p) => p.tick === chosen?.tick);
  return (
    <Columns
      lanes={width}
      left={
        <>
          <div className="flex items-center gap-1 px-2">
            <span className="min-w-0 flex-1 truncate text-[13px] font-semibold">{name}</span>
            <Menu
              label={`Let more of ${name} move`}
              trigger={
                <DropdownMenu.Trigger
                  aria-label={`Automate something on ${name}`}
                  title="Automate something more"
                  className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
                >
                  <Plus size={15} aria-hidden />
                </DropdownMenu.Trigger>
              }
            >
              {free.map((t) => (
                <MenuItem
                  key={`${t.target}/${t.of}/${t.param}`}
                  onSelect={() =>
                    edit(
                      `Automate ${t.name} on ${name}`,
                      addLane(track, t, () => crypto.randomUUID()),
                    )
                  }
                >
                  {t.name}
                </MenuItem>
              ))}
            </Menu>
          </div>
          <ul aria-label={`Automation of ${name}`}>
            {lanes.map(({ lane, target }) => (
              <li key={lane.id} className="flex items-start gap-1 px-2" style={{ height: LANE_PX }}>
                <span className="min-w-0 flex-1 pt-2 text-xs">
                  {target?.name ?? lane.param ?? lane.target}
                  <span className="figure block text-[11px] text-soft">
                    {lane.points.length} {lane.points.length === 1 ? "point" : "points"}
                  </span>
                </span>
                <button
                  type="button"
                  aria-label={`Remove the automation of ${target?.name ?? lane.target}`}
                  title="Remove"
                  onClick={() => remove(lane, target?.name ?? lane.target)}
                  className="mt-1 grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
                >
                  <X size={13} aria-hidden />
                </button>
              </li>
            ))}
          </ul>
        </>
      }
      middle={
        lanes.length === 0 ? (
          <p className="px-4 py-6 text-soft">
            Nothing moves on {name} yet. Choose with the plus what shall: the fader, the pan, a send, any parameter of a
            device.
          </p>
        ) : (
          <div className="pt-[30px]">
            {lanes.map(
              ({ lane, target }) =>
                target && (
                  <Lane
                    key={lane.id}
                    lane={lane}
                    target={target}
                    width={width}
                    chosen={chosen?.lane === lane.id ? chosen.tick : null}
                    choose={(tick) => setChosen(tick === null ? null : { lane: lane.id, tick })}
                    put={(label, points) => put(lane, label, points)}
                  />
                ),
            )}
            <BenchPlayhead />
          </div>
        )
      }
      right={
        point && selected?.target ? (
          <PointPanel
            key={`${selected.lane.id}/${point.tick}`}
            lane={selected.lane}
            target={selected.target}
            point={point}
            put={(label, points) => put(selected.lane, label, points)}
            choose={(tick) => setChosen(tick === null ? null : { lane: selected.lane.id, tick })}
          />
        ) : (
          <p className="text-soft">
            {lanes.length === 0
              ? ""
              : "Press on a lane to set a point, drag it, bend the line by the ring in its middle. A point that is chosen shows its numbers here."}
          </p>
        )
      }
    />
  );
}

interface LaneProps {
  readonly lane: Automation;
  readonly target: LaneTarget;
  readonly width: number;
  readonly chosen: number | null;
  readonly choose: (tick: number | null) => void;
  readonly put: (label: string, points: readonly Point[]) => boolean;
}

function valueText({ unit, taper, min }: LaneTarget, value: number): string {
  if (taper === "switch") return value >= 0.5 ? "on" : "off";
  if (unit === "dB" && min === -144 && value <= -144) return "off";
  return `${formatNumber(value, Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2)} ${unit}`.trim();
}

function Lane({ lane, target, width, chosen, choose, put }: LaneProps) {
  const session = useSessionParts((s) => ({ session: s.session })).session;
  const bench = useBenchView();
  const grid = useBenchSettings((s) => s.grid);
  const [draft, setDraft] = useState<readonly Point[] | null>(null);
  const [held, setHeld] = useState<{
    readonly what: "point" | "bend";
    readonly point: Point;
    readonly y: number;
  } | null>(null);
  const clock = clockOf(session);
  const view = shownView(bench);
  const points = draft ?? lane.points;
  const y = (value: number) => PAD_PX + (1 - lanePosition(target, value)) * (LANE_PX - 2 * PAD_PX);
  const x = (tick: number) => xOf(view, clock.tempo.toFrames(tick));
  const curve = curveOf({ ...lane, points }, clock.tempo, target.taper);
  let line = "";
  for (let px = 0; px <= width; px += 2)
    line += `${px === 0 ? "M" : "L"}${px} ${y(curve(Math.max(0, frameAt(view, px)))).toFixed(1)}`;
  const from = (event: PointerEvent) => {
    const box = (event.currentTarget.closest("svg") as SVGSVGElement).getBoundingClientRect();
    const frame = Math.max(0, frameAt(view, event.clientX - box.left));
    const tick = snapTick(
      clock,
      clock.tempo.toTicks(Math.round(frame)),
      event.altKey ? null : { grid, targets: [], reach: 0 },
    );
    return { tick, value: laneValue(target, 1 - (event.clientY - box.top - PAD_PX) / (LANE_PX - 2 * PAD_PX)) };
  };
  const moved = (event: PointerEvent): readonly Point[] | null => {
    if (!held) return null;
    if (held.what === "point") {
      const first = lane.points.length === 1;
      const { tick, value } = from(event);
      return withPoint(
        lane.points,
        { ...held.point, tick: first && held.point.tick === 0 && Math.abs(tick) < 240 ? 0 : tick, value },
        held.point,
      );
    }
    const next = lane.points[lane.points.indexOf(held.point) + 1];
    const rising = next ? lanePosition(target, next.value) >= lanePosition(target, held.point.value) : true;
    const bend = Math.max(-1, Math.min(1, held.point.bend + ((event.clientY - held.y) / 50) * (rising ? 1 : -1)));
    return withPoint(
      lane.points,
      {
        ...held.point,
        shape: Math.abs(bend) < 0.04 ? "linear" : "curved",
        bend: Math.abs(bend) < 0.04 ? 0 : Math.round(bend * 100) / 100,
      },
      held.point,
    );
  };
  const hold = usePulls<SVGElement, { readonly what: "point" | "bend"; readonly point: Point }>(({ what, point }) => ({
    begin(event) {
      event.stopPropagation();
      setHeld({ what, point, y: event.clientY });
      choose(point.tick);
      return true;
    },
    move(event) {
      if (held) setDraft(moved(event));
    },
    end(event) {
      const next = draft && moved(event);
      setHeld(null);
      setDraft(null);
      if (!next || !held) return;
      if (put(held.what === "bend" ? `Bend ${target.name}` : `Move a point of ${target.name}`, next))
        choose(held.what === "bend" ? held.point.tick : from(event).tick);
    },
    cancel() {
      setHeld(null);
      setDraft(null);
    },
  }));
  const seen = points.filter((p) => x(p.tick) >= -10 && x(p.tick) <= width + 10).slice(0, MOST_POINTS);
  return (
    <svg
      width={width}
      height={LANE_PX}
      className="block touch-none border-b border-rule bg-lift"
      role="group"
      aria-label={`${target.name}, ${lane.points.length} points`}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const { tick, value } = from(event);
        const before = lane.points.findLast((p) => p.tick <= tick);
        if (
          put(
            `Set a point of ${target.name}`,
            withPoint(lane.points, {
              tick,
              value,
              shape: target.taper === "switch" || target.taper === "steps" ? "hold" : (before?.shape ?? "linear"),
              bend: before?.bend ?? 0,
            }),
          )
        )
          choose(tick);
      }}
    >
      <line x1="0" x2={width} y1={y(target.now)} y2={y(target.now)} stroke="var(--rule)" strokeDasharray="2 3" />
      <path d={line} fill="none" stroke="var(--ink)" strokeWidth="1.4" className="pointer-events-none" />
      {seen.map((p, i) => {
        const next = points[points.indexOf(p) + 1];
        const middle =
          next && x(next.tick) - x(p.tick) > 26 && p.shape !== "hold" ? (x(p.tick) + x(next.tick)) / 2 : null;
        return (
          <g key={points.indexOf(p)}>
            {middle !== null && (
              <circle
                cx={middle}
                cy={y(curve(Math.max(0, frameAt(view, middle))))}
                r="4"
                fill="var(--paper-lift)"
                stroke="var(--ink-soft)"
                className="cursor-ns-resize"
                {...hold({ what: "bend", point: lane.points[points.indexOf(p)] ?? p })}
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
                const at = lane.points.indexOf(p);
                if (event.key === "Delete" && lane.points.length > 1) {
                  event.preventDefault();
                  put(
                    `Remove a point of ${target.name}`,
                    lane.points.filter((q) => q !== p),
                  );
                  choose(null);
                } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
                  event.preventDefault();
                  const value = laneValue(
                    target,
                    lanePosition(target, p.value) + (event.key === "ArrowUp" ? 0.02 : -0.02),
                  );
                  if (at >= 0 && value !== p.value)
                    put(`Move a point of ${target.name}`, withPoint(lane.points, { ...p, value }, p));
                }
              }}
              {...hold({ what: "point", point: lane.points.find((q) => q.tick === p.tick) ?? p })}
            />
          </g>
        );
      })}
    </svg>
  );
}
