"use client";

import { Plus, X } from "lucide-react";
import { useState } from "react";
import type { Automation, Track } from "../../core/session/document";
import { addLane, laneTargets, sameTarget } from "../../core/session/lanes";
import { Menu, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { Columns } from "./drawer-columns";
import { BenchPlayhead } from "../timeline/playhead";
import { AutomationLane } from "./automation-lane";
import type { AutomationPoint } from "./automation-gesture";
import { LANE_PX } from "./automation-gesture";
import { PointPanel } from "./point-panel";
import { difference } from "../../core/session/values";

/** What moves on a track: a lane for each, with points that are put, dragged, bent and removed. */
export function AutomationLanes({ track, width }: { readonly track: Track; readonly width: number }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const [chosen, setChosen] = useState<{ readonly lane: string; readonly tick: number } | null>(null);
  const name = trackName(track);
  const targets = laneTargets(session, track);
  const free = targets.filter((t) => !track.automation.some((a) => sameTarget(a, t)));
  const lanes = track.automation.map((lane) => ({ lane, target: targets.find((t) => sameTarget(t, lane)) ?? null }));
  const put = (lane: Automation, label: string, points: readonly AutomationPoint[]) =>
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
                <button
                  type="button"
                  aria-label={`Automate something on ${name}`}
                  title="Automate something more"
                  className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
                >
                  <Plus size={15} aria-hidden />
                </button>
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
                  <AutomationLane
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
