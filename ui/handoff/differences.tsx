"use client";

import { useEffect, useState } from "react";
import type { HandoffSummary } from "../../contract/handoff";
import { isOver } from "../../contract/job-progress";
import type { ResultOf } from "../../contract/job-kinds";
import { formatClock } from "../../core/time/clock";
import { formatNumber } from "../../core/words/numbers";
import { Choice } from "../parts/choice";
import { useSessionParts } from "../session/provider";
import { whenText } from "../parts/dates";

type Found = ResultOf<"differences">;

/** What a package has that an earlier one had not, and where on the timeline their sound differs. */
export function Differences({
  handoff,
  others,
}: {
  readonly handoff: HandoffSummary;
  readonly others: readonly HandoffSummary[];
}) {
  const [earlier, setEarlier] = useState(others[0]?.id ?? "");
  const { jobs, differences } = useSessionParts((s) => ({ jobs: s.jobs, differences: s.differences }));
  useEffect(() => void differences(handoff.id, earlier), [differences, handoff.id, earlier]);
  const mine = Object.values(jobs).filter(
    (j) => j.request.kind === "differences" && j.request.later === handoff.id && j.request.earlier === earlier,
  );
  const found = mine.map((j) => j.result).find((r): r is Found => r?.kind === "differences");
  const running = mine.find((j) => !isOver(j.status));
  return (
    <div className="mt-2 border-t border-rule pt-2 text-xs">
      <p className="flex items-center gap-2">
        Against
        <Choice
          label="The earlier package"
          value={earlier}
          options={others.map((o) => ({
            value: o.id,
            label: `${whenText(o.madeAt)}${o.receiver ? `, for ${o.receiver}` : ""}`,
          }))}
          onChange={setEarlier}
        />
      </p>
      {found ? (
        <Told found={found} />
      ) : (
        <p className="mt-1 text-soft">
          {running ? `Comparing, ${Math.round(running.progress.done * 100)}%` : "Comparing …"}
        </p>
      )}
    </div>
  );
}

function Told({ found }: { readonly found: Found }) {
  const { added, removed, renamed, same, changed } = found;
  const end = Math.max(1, ...changed.flatMap((c) => c.spans.map((s) => s.toS)));
  return (
    <div className="mt-1.5 space-y-1">
      {added.length > 0 && <p>New: {added.join(", ")}</p>}
      {removed.length > 0 && <p>No longer there: {removed.join(", ")}</p>}
      {renamed.map(({ from, to }) => (
        <p key={to}>
          Renamed: {from} is now {to}
        </p>
      ))}
      {changed.map(({ name, peakDb, spans }) => (
        <div key={name}>
          <p className="flex gap-2">
            <span className="figure truncate">{name}</span>
            <span className="ml-auto shrink-0 text-soft">
              differs by up to {peakDb === null ? "nothing" : `${formatNumber(peakDb, 1)} dBFS`}
            </span>
          </p>
          <svg
            viewBox="0 0 1000 10"
            preserveAspectRatio="none"
            className="h-2.5 w-full bg-shade"
            role="img"
            aria-label={`It differs at ${spans
              .slice(0, 8)
              .map((s) => `${formatClock(s.fromS)} to ${formatClock(s.toS)}`)
              .join(", ")}`}
          >
            {spans.map((s) => (
              <rect
                key={s.fromS}
                x={(1000 * s.fromS) / end}
                width={Math.max(2, (1000 * (s.toS - s.fromS)) / end)}
                height="10"
                fill="var(--spot)"
              />
            ))}
          </svg>
          <p className="figure text-soft">
            {spans
              .slice(0, 4)
              .map((s) => `${formatClock(s.fromS)}–${formatClock(s.toS)}`)
              .join(", ")}
            {spans.length > 4 && ` and ${spans.length - 4} more places`}
          </p>
        </div>
      ))}
      <p className="text-soft">
        {same.length === 0
          ? "No file sounds as it did."
          : `${same.length} ${same.length === 1 ? "file sounds" : "files sound"} as before.`}
      </p>
    </div>
  );
}
