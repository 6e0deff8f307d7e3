"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import type { HandoffSummary } from "../../contract/handoff";
import type { PrintRecord } from "../../contract/print";
import type { Session } from "../../core/session/document";
import { clockText, dayText } from "../parts/dates";
import { itemMenu } from "../parts/item-menu";
import { packageAddress } from "../session/api";
import { useHandoffs } from "../session/use-handoffs";
import { useSessionParts } from "../session/provider";
import { usePrints } from "../shelf/use-prints";

/** Something that was made: where it is, and when it was made. */
interface Result {
  readonly key: string;
  readonly at: string;
  readonly kind: "print" | "export";
  readonly name: string;
  readonly where: string;
  readonly href: string;
  readonly download: string | null;
}

/** More than are looked through; a search finds the rest. */
const SHOWN = 60;

/** What was printed and exported, the newest first; searched by name, day and kind. */
export function Results() {
  const { id, session } = useSessionParts((s) => ({ id: s.id, session: s.session }));
  const prints = usePrints();
  const { list } = useHandoffs(null);
  const [search, setSearch] = useState("");
  const router = useRouter();
  const all = [...prints.map((p) => ofPrint(p, id, session)), ...(list ?? []).map((h) => ofExport(h, id))].sort(
    (a, b) => b.at.localeCompare(a.at),
  );
  const words = search
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w !== "");
  const found = all.filter((r) => words.every((w) => textOf(r).includes(w)));
  return (
    <div className="min-h-0 overflow-y-auto px-4 pt-3 pb-6">
      <input
        type="search"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
        aria-label="Search results"
        placeholder="a name, today, export, print …"
        className="min-h-8 w-full rounded-sm border border-rule bg-paper px-2.5 hover:border-ink"
      />
      {found.length === 0 ? (
        <p className="mt-3 text-soft">
          {all.length === 0
            ? "Nothing was made yet. What you print and export is listed here, with where it went."
            : "Nothing that was made fits that."}
        </p>
      ) : (
        <ul aria-label="Results" className="mt-2 border-t border-rule">
          {found.slice(0, SHOWN).map((r, i) => (
            <li
              key={r.key}
              {...itemMenu(r.name, () => [
                { label: "Show it", run: () => router.push(r.href) },
                {
                  label: "Download",
                  run: () => r.download !== null && location.assign(r.download),
                  blocked: r.download === null ? "There is no package of it here" : null,
                },
              ])}
              className="border-b border-rule py-1.5"
            >
              {(i === 0 || dayText(found[i - 1]?.at ?? "") !== dayText(r.at)) && (
                <p className="eyebrow mb-0.5">{dayText(r.at)}</p>
              )}
              <div className="flex items-baseline gap-2">
                <Link href={r.href} className="min-w-0 flex-1 truncate font-semibold hover:underline" title={r.name}>
                  {r.name}
                </Link>
                <time dateTime={r.at} className="figure shrink-0 text-xs text-soft">
                  {clockText(r.at)}
                </time>
              </div>
              <p className="flex gap-2 text-xs text-soft">
                <span className="min-w-0 flex-1 truncate">
                  {r.kind}, {r.where}
                </span>
                {r.download !== null && (
                  <a href={r.download} download className="shrink-0 text-spot hover:underline">
                    download
                  </a>
                )}
              </p>
            </li>
          ))}
        </ul>
      )}
      {found.length > SHOWN && <p className="mt-2 text-soft">and {found.length - SHOWN} more: search for them</p>}
    </div>
  );
}

const MARKS = { right: "proven right", look: "proven right, with something to look at", wrong: "not right" } as const;

function ofPrint(print: PrintRecord, id: string, session: Session): Result {
  const on = session.tracks.find((t) => t.clips.some((c) => c.kind === "audio" && c.asset === print.asset));
  return {
    key: print.id,
    at: print.madeAt,
    kind: "print",
    name: print.name,
    where: on ? `on ${on.name || "an unnamed track"}` : "on the shelf",
    href: on ? `/s/${id}` : `/s/${id}/shelf`,
    download: null,
  };
}

const ofExport = (handoff: HandoffSummary, id: string): Result => ({
  key: handoff.id,
  at: handoff.madeAt,
  kind: "export",
  name: handoff.fileName,
  where: [
    `${handoff.files} ${handoff.files === 1 ? "file" : "files"}`,
    ...(handoff.receiver === "" ? [] : [`for ${handoff.receiver}`]),
    handoff.mark === null ? "not proven yet" : MARKS[handoff.mark],
  ].join(", "),
  href: `/s/${id}/handoff`,
  download: handoff.isHere ? packageAddress(handoff.id) : null,
});

/** What a search looks at: name, kind, place, and the day in figures and in words. */
function textOf(r: Result): string {
  const day = dayText(r.at);
  const isToday = day === dayText(new Date().toISOString());
  return [r.name, r.kind, r.where, day, r.at.slice(0, 10), isToday ? "today" : ""].join(" ").toLowerCase();
}
