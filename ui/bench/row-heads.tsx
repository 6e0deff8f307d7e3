"use client";

import type { MouseEvent } from "react";
import { Editable } from "../parts/editable";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { HEAD_WIDTH } from "./view";

/** A load at which one core is half busy fills the bar. */
const FULL_BAR = 0.5;

/** Number, name, state and load of every track. Click selects, with Ctrl adds, with Shift takes all between. */
export function RowHeads({ rowHeight }: { readonly rowHeight: number }) {
  const { session, selected, load, select, edit } = useSessionParts((s) => ({ session: s.session, selected: s.selected, load: s.load, select: s.select, edit: s.edit }));
  const states = trackStates(session);
  const choose = (id: string, event: Pick<MouseEvent, "shiftKey" | "ctrlKey" | "metaKey">) => {
    const order = session.tracks.map((t) => t.id);
    const last = selected.at(-1);
    if (event.shiftKey && last !== undefined) {
      const [a, b] = [order.indexOf(last), order.indexOf(id)].sort((x, y) => x - y);
      select([...new Set([...selected.filter((s) => s !== last), ...order.slice(a, (b ?? 0) + 1), last])]);
    } else if (event.ctrlKey || event.metaKey) select(selected.includes(id) ? selected.filter((s) => s !== id) : [...selected, id]);
    else select([id]);
  };
  return (
    <ul aria-label="Tracks" style={{ width: HEAD_WIDTH }} className="border-r border-rule">
      {session.tracks.map((track, row) => {
        const chosen = selected.includes(track.id);
        const state = states.get(track.id) ?? "live";
        const share = load?.tracks[track.id];
        return (
          <li
            key={track.id}
            style={{ height: rowHeight }}
            onClick={(e) => choose(track.id, e)}
            className={`relative grid grid-cols-[22px_1fr_auto] items-center gap-x-1 pr-2 ${chosen ? "bg-spot-wash" : row % 2 === 0 ? "bg-shade" : "bg-paper"}`}
          >
            {chosen && <span aria-hidden className="absolute inset-y-0 left-0 w-[3px] bg-spot" />}
            <span className="figure pl-2 text-[11px] text-soft">{row + 1}</span>
            <div className={`min-w-0 ${track.output !== null && track.output !== "mix" && session.tracks.find((t) => t.id === track.output)?.kind === "group" ? "pl-2" : ""}`}>
              <Editable
                double
                value={track.name}
                label={`Track ${row + 1}`}
                onCommit={(name) => edit(`Rename ${trackName(track)}`, [{ do: "set", in: "tracks", id: track.id, patch: { name } }])}
                className={`w-full text-[13.5px] leading-[18px] ${track.kind === "group" || track.kind === "mix" || track.kind === "return" ? "font-bold" : "font-medium"}`}
              />
              <p className="truncate text-[11px] leading-[14px] text-soft">
                {track.kind} · <span className={state === "stale" ? "font-semibold text-caution" : ""}>{state}</span>
                {track.mute && <span className="text-signal"> · muted</span>}
              </p>
            </div>
            <div className="w-9 text-right" title={share === undefined ? "Its load has not been measured yet" : `Takes ${(share * 100).toFixed(1)} % of one core while it plays`}>
              <span className="figure block text-[11px] leading-[14px]" aria-label={`Load of ${trackName(track)}`}>{share === undefined ? "–" : share < 0.0005 ? "0" : share < 0.1 ? share.toFixed(3).slice(1) : share.toFixed(2).replace(/^0/, "")}</span>
              <span aria-hidden className="mt-[3px] block h-[4px] bg-rule"><span className="block h-full bg-ink" style={{ width: `${Math.min(100, ((share ?? 0) / FULL_BAR) * 100)}%` }} /></span>
            </div>
          </li>
        );
      })}
    </ul>
  );
}
