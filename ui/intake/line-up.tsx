"use client";

import type { Candidate } from "../../contract/intake";
import { shortClock } from "./words";
import { shownName } from "../../core/session/names";

const GROUP_NAMES = { group: "group", return: "return", mix: "mix", notes: "", audio: "" } as const;

/** How the tracks of what arrived line up: every clip at its place, what is missing hatched. */
export function LineUp({ candidate }: { readonly candidate: Candidate }) {
  const { tracks, frames, rate, tempo, meter } = candidate;
  const end = Math.max(1, frames);
  const marks = rulerMarks(end / rate);
  return (
    <div className="min-w-0">
      <div className="grid grid-cols-[150px_minmax(0,1fr)] border-b border-ink">
        <span className="eyebrow py-1 pr-2 text-right">
          {tempo ? `${round(tempo.bpm)} bpm${tempo.changes > 0 ? ", moves" : ""}` : "no tempo"}
          {meter ? `, ${meter}` : ""}
        </span>
        <span className="relative h-6">
          {marks.map((s) => (
            <span
              key={s}
              className="figure absolute bottom-0 border-l border-rule pl-1 text-[11px] text-soft"
              style={{ left: `${(100 * s * rate) / end}%` }}
            >
              {shortClock(s)}
            </span>
          ))}
        </span>
      </div>
      <ul aria-label="Tracks">
        {tracks.map((t, i) => (
          <li key={i} className="grid h-[26px] grid-cols-[150px_minmax(0,1fr)] items-center border-b border-rule">
            <span className="truncate pr-2 text-right" title={t.name}>
              {GROUP_NAMES[t.kind] !== "" && <span className="eyebrow mr-1">{GROUP_NAMES[t.kind]}</span>}
              {shownName(t)}
            </span>
            <span className="relative h-[18px] bg-shade">
              {t.spans.map(({ from, to }, k) => (
                <span
                  key={k}
                  className={`absolute inset-y-0 border border-lift ${t.missing > 0 ? "border-wrong bg-[repeating-linear-gradient(135deg,var(--wrong-wash)_0_4px,transparent_4px_8px)]" : "bg-ink/75"}`}
                  style={{ left: `${(100 * from) / end}%`, width: `max(2px, ${(100 * (to - from)) / end}%)` }}
                />
              ))}
              {t.kind === "notes" && t.notes > 0 && (
                <span className="absolute inset-y-0 left-1 flex items-center text-xs text-soft">
                  {t.notes} {t.notes === 1 ? "note" : "notes"}
                </span>
              )}
              {t.missing > 0 && (
                <span className="absolute inset-y-0 right-1 flex items-center text-xs font-semibold text-wrong">
                  {t.missing === t.clips ? "missing" : `${t.missing} missing`}
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

const round = (bpm: number) => Math.round(bpm * 100) / 100;

/** Seconds that are marked: about eight of them, at times that people count in. */
function rulerMarks(seconds: number): readonly number[] {
  const step = [0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600].find((s) => seconds / s <= 8) ?? 7200;
  // A mark needs room for its number.
  return Array.from({ length: 12 }, (_, i) => i * step).filter((s) => s === 0 || s <= seconds * 0.93);
}
