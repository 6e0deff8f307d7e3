"use client";

import { X } from "lucide-react";
import { useEffect } from "react";
import type { Point } from "../../contract/history";
import { isOver } from "../../contract/job-progress";
import type { ResultOf } from "../../contract/job-kinds";
import { formatNumber } from "../../core/words/numbers";
import { Choice } from "../parts/choice";
import { ProgressBar } from "../parts/progress-bar";
import { usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";

type Found = ResultOf<"compare versions">;
type Changed = Pick<Found["changed"][number], "name" | "peakDb" | "spans">;

interface Props {
  readonly earlier: number;
  readonly later: number;
  readonly now: number;
  readonly points: readonly Point[];
  readonly onLater: (revision: number) => void;
  readonly onClose: () => void;
}

/** Two points of the history, by what sounds different: track by track, and where on the timeline. */
export function VersionCompare({ earlier, later, now, points, onLater, onClose }: Props) {
  const { jobs, compareVersions } = useSessionParts((s) => ({ jobs: s.jobs, compareVersions: s.compareVersions }));
  useEffect(() => void compareVersions(earlier, later), [compareVersions, earlier, later]);
  const mine = Object.values(jobs).filter(
    (j) => j.request.kind === "compare versions" && j.request.earlier === earlier && j.request.later === later,
  );
  const found = mine.map((j) => j.result).find((r): r is Found => r?.kind === "compare versions");
  const running = mine.find((j) => !isOver(j.status));
  const nameOf = (revision: number) => {
    const point = points.find((p) => p.revision === revision);
    return point?.version ?? (point ? `after “${point.label}”` : `point ${revision}`);
  };
  const others = points.filter((p, i) => p.version !== null && p.revision > earlier && points.indexOf(p) === i);
  return (
    <section aria-label="Two versions compared" className="mb-5 border border-ink bg-paper p-3">
      <header className="flex items-start gap-2">
        <h3 className="min-w-0 flex-1 leading-snug font-semibold">What sounds different since {nameOf(earlier)}</h3>
        <button
          type="button"
          aria-label="Close the comparison"
          onClick={onClose}
          className="grid size-6 place-items-center text-soft hover:text-ink"
        >
          <X size={13} aria-hidden />
        </button>
      </header>
      {others.length > 0 && (
        <p className="mt-1 flex items-center gap-2 text-soft">
          until
          <Choice
            label="Compared with"
            value={String(later)}
            options={[
              { value: String(now), label: "now" },
              ...others
                .filter((p) => p.revision !== now)
                .map((p) => ({ value: String(p.revision), label: p.version ?? "" })),
            ]}
            onChange={(v) => onLater(Number(v))}
          />
        </p>
      )}
      {found ? (
        <Told found={found} />
      ) : (
        <ProgressBar label="Comparing" done={running?.progress.done ?? 0} className="mt-3 w-full" />
      )}
    </section>
  );
}

function Told({ found: { added, removed, same, changed, mix, lengthS } }: { readonly found: Found }) {
  if (changed.length + added.length + removed.length === 0 && mix.spans.length === 0)
    return <p className="mt-2">Nothing. All {same} tracks sound as they did, to the last bit.</p>;
  return (
    <div className="mt-2 space-y-2 text-xs">
      {added.length > 0 && <p>Sounds now: {added.join(", ")}</p>}
      {removed.length > 0 && <p>Sounds no more: {removed.join(", ")}</p>}
      {changed.map((c) => (
        <Where key={c.track} of={c} lengthS={lengthS} />
      ))}
      {mix.spans.length > 0 && <Where of={{ name: "The mix", ...mix }} lengthS={lengthS} />}
      <p className="text-soft">
        {same === 0 ? "No other track." : `${same} ${same === 1 ? "track sounds" : "tracks sound"} as before.`}
      </p>
    </div>
  );
}

/** Where one of them differs; a press goes there. */
function Where({ of: { name, peakDb, spans }, lengthS }: { readonly of: Changed; readonly lengthS: number }) {
  const seek = usePlayback((s) => s.seek);
  const rate = useSessionParts((s) => ({ rate: s.session.rate })).rate;
  const end = Math.max(lengthS, ...spans.map((s) => s.toS));
  return (
    <div>
      <p className="flex gap-2">
        <b className="truncate font-semibold">{name}</b>
        <span className="figure ml-auto shrink-0 text-soft">
          {peakDb === null ? "" : `up to ${formatNumber(peakDb, 1)} dBFS`}
        </span>
      </p>
      <div className="relative mt-0.5 h-4 bg-shade">
        {spans.map((s) => (
          <button
            key={s.fromS}
            type="button"
            aria-label={`Go to ${name} at ${formatNumber(s.fromS, 1)} s`}
            onClick={() => seek(Math.round(s.fromS * rate))}
            className="absolute inset-y-0 min-w-1 bg-spot hover:brightness-110"
            style={{ left: `${(100 * s.fromS) / end}%`, width: `${(100 * (s.toS - s.fromS)) / end}%` }}
          />
        ))}
      </div>
    </div>
  );
}
