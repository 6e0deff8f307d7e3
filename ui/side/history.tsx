"use client";

import { Flag } from "lucide-react";
import { useState } from "react";
import type { Point } from "../../contract/history";
import { Button } from "../parts/button";
import { clockText, dayText } from "../parts/dates";
import { itemMenu } from "../parts/item-menu";
import { Editable } from "../parts/editable";
import { useSession, useSessionParts } from "../session/provider";
import { useSideSheet } from "./store";
import { useHistory } from "./use-history";
import { VersionCompare } from "./version-compare";

/** What was done, the newest first: to go back to, to be named, to be compared. */
export function HistoryLeaf() {
  const { history, isRead, earlier, name } = useHistory();
  const { revision, undo } = useSessionParts((s) => ({ revision: s.sync.revision, undo: s.undo }));
  const isNamingFirst = useSideSheet((s) => s.naming);
  const [naming, setNaming] = useState<number | null>(isNamingFirst ? revision : null);
  const [compared, setCompared] = useState<{ readonly earlier: number; readonly later: number } | null>(null);
  const first = history.points.at(-1)?.revision ?? 0;
  const rows = (points: readonly Point[]) =>
    points.map((p, i) => (
      <PointRow
        key={p.revision}
        point={p}
        day={i === 0 || dayText(points[i - 1]?.at ?? "") !== dayText(p.at) ? dayText(p.at) : null}
        isNow={p.revision === revision}
        naming={naming === p.revision}
        onName={() => setNaming(p.revision)}
        onNamed={(text) => {
          setNaming(null);
          if (text !== null) void name(p.revision, text);
        }}
        onCompare={() => setCompared({ earlier: p.revision, later: revision })}
      />
    ));
  return (
    <div className="min-h-0 overflow-y-auto px-4 pt-3 pb-6">
      {compared && (
        <VersionCompare
          {...compared}
          points={[...history.versions, ...history.points]}
          onLater={(later) => setCompared({ ...compared, later })}
          now={revision}
          onClose={() => setCompared(null)}
        />
      )}
      {history.versions.length > 0 && (
        <section aria-label="Versions" className="mb-4">
          <h3 className="eyebrow">Versions</h3>
          <ul className="mt-1 border-t border-rule">{rows(history.versions)}</ul>
        </section>
      )}
      <section aria-label="What was done">
        <h3 className="eyebrow">What was done</h3>
        <ol className="mt-1 border-t border-rule">{rows(history.points)}</ol>
        {isRead && history.points.length === 1 && undo === null && (
          <p className="mt-2 text-soft">Nothing yet. Every change is listed here; you can go back to any of them.</p>
        )}
        {first > 0 && (
          <Button className="mt-3" onClick={() => void earlier()}>
            Show earlier ones
          </Button>
        )}
      </section>
    </div>
  );
}

const HOW = { edit: "", undo: "Undone: ", redo: "Redone: " } as const;

function PointRow({
  point,
  day,
  isNow,
  naming,
  onName,
  onNamed,
  onCompare,
}: {
  readonly point: Point;
  readonly day: string | null;
  readonly isNow: boolean;
  readonly naming: boolean;
  readonly onName: () => void;
  /** Null: it was left as it is. */
  readonly onNamed: (name: string | null) => void;
  readonly onCompare: () => void;
}) {
  const returnTo = useSession((s) => s.returnTo);
  const { revision, label, how, at, version } = point;
  const said = `${HOW[how]}${label}`;
  return (
    <li
      {...itemMenu(said, () => [
        { label: "Go back to here", run: () => void returnTo(revision), blocked: isNow ? "The session is here" : null },
        { label: "Compare with now", run: onCompare, blocked: isNow ? "The session is here" : null },
        { label: version === null ? "Name as a version" : "Rename version", run: onName },
      ])}
      className={`group border-b border-rule py-1.5 ${isNow ? "bg-spot-wash" : ""}`}
    >
      {day !== null && <p className="eyebrow mb-0.5">{day}</p>}
      <div className="flex items-baseline gap-2">
        <span className={`min-w-0 flex-1 leading-snug ${how === "edit" ? "" : "text-soft"}`}>
          {naming ? (
            <Editable
              open
              value={version ?? ""}
              label={`Name of the version after ${said}`}
              placeholder="name of this version"
              onCommit={onNamed}
              onLeave={() => onNamed(null)}
            />
          ) : (
            version !== null && <b className="block font-semibold">{version}</b>
          )}
          {said}
        </span>
        <time dateTime={at} className="figure shrink-0 text-xs text-soft">
          {clockText(at)}
        </time>
      </div>
      <div className="mt-0.5 flex items-center gap-3 text-xs">
        {isNow ? (
          <span className="text-soft">the session as it is</span>
        ) : (
          <>
            <button
              type="button"
              aria-label={`Go back to: ${version ?? said}`}
              onClick={() => void returnTo(revision)}
              className="min-h-6 text-spot hover:underline"
            >
              go back to here
            </button>
            <button
              type="button"
              aria-label={`Compare with now: ${version ?? said}`}
              onClick={onCompare}
              className="min-h-6 text-spot hover:underline"
            >
              compare with now
            </button>
          </>
        )}
        <span className="flex-1" />
        {!naming && (
          <button
            type="button"
            aria-label={version === null ? `Name as a version: ${said}` : `Rename version ${version}`}
            title={version === null ? "Name it as a version" : "Rename the version; empty takes the name away"}
            onClick={onName}
            className="grid size-6 place-items-center text-soft hover:text-ink"
          >
            <Flag size={13} aria-hidden className={version === null ? "" : "fill-current"} />
          </button>
        )}
      </div>
    </li>
  );
}
