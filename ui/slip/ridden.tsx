"use client";

import { movesAsAutomation } from "../../core/printing/moves";
import type { Slip } from "../../core/printing/slip";
import { lanePosition, laneTargets, sameTarget } from "../../core/session/lanes";
import { formatNumber } from "../../core/words/numbers";
import { Button } from "../parts/button";
import { Floating } from "../parts/floating";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { useSlip } from "./slip-store";

const [WIDTH, HEIGHT] = [308, 34];

/** What was ridden in the last live pass, drawn lane by lane; kept as automation at one press. */
export function Ridden({ moves }: { readonly moves: Slip["moves"] }) {
  return (
    <Floating
      label="What was ridden"
      width={340}
      trigger={
        <button type="button" className="ml-2 font-semibold text-spot underline underline-offset-2">
          look at it
        </button>
      }
    >
      <Lanes moves={moves} />
    </Floating>
  );
}

function Lanes({ moves }: { readonly moves: Slip["moves"] }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const ride = useSlip((s) => s.ride);
  const clock = clockOf(session);
  return (
    <div className="grid gap-3">
      <ul className="grid gap-2.5">
        {moves.map(({ track: id, lane }) => {
          const track = session.tracks.find((t) => t.id === id);
          const target = track && laneTargets(session, track).find((t) => sameTarget(t, lane));
          if (!target) return null;
          const [first, last] = [lane.points[0]?.tick ?? 0, lane.points.at(-1)?.tick ?? 1];
          const at = (tick: number) => (WIDTH * (tick - first)) / Math.max(1, last - first);
          const values = lane.points.map((p) => p.value);
          const bar = (tick: number) => barText(clock, clock.tempo.toFrames(tick));
          return (
            <li key={`${id} ${lane.id}`}>
              <p className="flex gap-2 text-[13px]">
                <b className="min-w-0 truncate font-semibold">
                  {trackName(track)}: {target.name}
                </b>
                <span className="figure ml-auto shrink-0 text-xs text-soft">
                  {formatNumber(Math.min(...values), 1)} to {formatNumber(Math.max(...values), 1)} {target.unit}
                </span>
              </p>
              <svg
                viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                role="img"
                aria-label={`${target.name} from ${bar(first)} to ${bar(last)}`}
                className="mt-0.5 w-full border border-rule bg-paper"
              >
                <polyline
                  fill="none"
                  stroke="var(--ink)"
                  strokeWidth="1.4"
                  points={lane.points
                    .map((p) => `${at(p.tick)},${2 + (HEIGHT - 4) * (1 - lanePosition(target, p.value))}`)
                    .join(" ")}
                />
              </svg>
              <p className="figure text-[11px] text-soft">
                {bar(first)} to {bar(last)}, {lane.points.length} points
              </p>
            </li>
          );
        })}
      </ul>
      <div className="flex gap-2">
        <Button
          kind="main"
          onClick={() => {
            const made = movesAsAutomation(session, moves, () => crypto.randomUUID());
            if (
              edit(
                `Keep ${moves.length === 1 ? "what was ridden" : `${moves.length} ridden controls`} as automation`,
                made,
              )
            )
              ride(null);
          }}
        >
          Keep as automation
        </Button>
        <Button onClick={() => ride(null)}>Forget it</Button>
      </div>
    </div>
  );
}
