"use client";

import { formatNumber } from "../../core/words/numbers";
import { Headphones } from "lucide-react";
import { useRef, type MouseEvent } from "react";
import { padAt, printOntoPad } from "../kit/onto-pad";
import { Editable } from "../parts/editable";
import { useEveryPicture, usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { Takes } from "./takes";
import { useCarry } from "./use-carry";
import { useRows } from "../timeline/shown";
import { HEAD_WIDTH } from "../timeline/view";
import type { RowWindow } from "../timeline/visible-rows";

/** A load at which one core is half busy fills the bar. */
const FULL_BAR = 0.5;

/** A meter shows 48 dB below full scale, and falls back by this part of its height a picture. */
const METER_DB = 48;
const METER_FALL = 0.012;
const meterPart = (peak: number): number =>
  peak <= 0 ? 0 : Math.max(0, Math.min(1, 1 + (20 * Math.log10(peak)) / METER_DB));

/** Number, name, state and load of every track. Click selects, with Ctrl adds, with Shift takes all between. */
export function RowHeads({ rowHeight, first, end }: RowWindow & { readonly rowHeight: number }) {
  const session = useRows();
  const { arrived, whole, selected, load, select, edit, print } = useSessionParts((s) => ({
    arrived: s.arrived,
    whole: s.session,
    selected: s.selected,
    load: s.load,
    select: s.select,
    edit: s.edit,
    print: s.print,
  }));
  const { soloed, solo } = usePlayback((p) => ({ soloed: p.soloed, solo: p.solo }));
  const meters = useRef(new Map<string, HTMLSpanElement>());
  const peaks = useRef(new Float32Array(0));
  const shown = useRef(new Float32Array(0));
  const loudness = useRef<HTMLSpanElement>(null);
  useEveryPicture((playback) => {
    const lufs = playback.loudness();
    if (loudness.current)
      loudness.current.textContent =
        playback.state === "playing" && lufs > -70 ? ` · ${formatNumber(lufs, 1)} LUFS` : "";
    const count = whole.tracks.length;
    if (peaks.current.length !== count) {
      peaks.current = new Float32Array(count);
      shown.current = new Float32Array(count);
    }
    playback.peaks(peaks.current);
    whole.tracks.forEach((track, i) => {
      const part = Math.max(meterPart(peaks.current[i] ?? 0), (shown.current[i] ?? 0) - METER_FALL);
      const meter = meters.current.get(track.id);
      if (!meter || part === shown.current[i]) return;
      shown.current[i] = part;
      meter.style.transform = `scaleY(${part.toFixed(3)})`;
      meter.style.background = (peaks.current[i] as number) > 1 ? "var(--signal)" : "";
    });
  }, session);
  const states = trackStates(whole);
  const carry = useCarry(
    rowHeight,
    session.tracks.length - 1,
    (from, to) => {
      const track = session.tracks[from];
      if (track)
        edit(`Move ${trackName(track)}`, [
          {
            do: "move",
            in: "tracks",
            id: track.id,
            index: whole.tracks.findIndex((t) => t.id === session.tracks[to]?.id),
          },
        ]);
    },
    (from, point) => {
      const pad = padAt(point);
      const track = session.tracks[from];
      if (!pad || !track) return false;
      printOntoPad({ session: whole, print }, pad, trackName(track), { tracks: [track.id] });
      return true;
    },
  );
  const choose = (id: string, event: Pick<MouseEvent, "shiftKey" | "ctrlKey" | "metaKey">) => {
    const order = session.tracks.map((t) => t.id);
    const last = selected.at(-1);
    if (event.shiftKey && last !== undefined) {
      const [a, b] = [order.indexOf(last), order.indexOf(id)].sort((x, y) => x - y);
      select([...new Set([...selected.filter((s) => s !== last), ...order.slice(a, (b ?? 0) + 1), last])]);
    } else if (event.ctrlKey || event.metaKey)
      select(selected.includes(id) ? selected.filter((s) => s !== id) : [...selected, id]);
    else select([id]);
  };
  return (
    <ul
      aria-label="Tracks"
      style={{ width: HEAD_WIDTH, paddingTop: first * rowHeight }}
      className="relative border-r border-rule"
    >
      {carry.gap !== null && (
        <li
          aria-hidden
          className="absolute right-0 left-0 z-10 h-[3px] bg-spot"
          style={{ top: carry.gap * rowHeight - 2 }}
        />
      )}
      {session.tracks.slice(first, end).map((track, i) => {
        const row = first + i;
        const chosen = selected.includes(track.id);
        const state = states.get(track.id) ?? "live";
        const share = load?.tracks[track.id];
        return (
          <li
            key={track.id}
            aria-setsize={session.tracks.length}
            aria-posinset={row + 1}
            style={{ height: rowHeight }}
            onClick={(e) => choose(track.id, e)}
            className={`relative grid grid-cols-[22px_1fr_auto_auto] items-center gap-x-1 pr-2 ${arrived.includes(track.id) ? "flash-once" : ""} ${chosen ? "bg-spot-wash" : row % 2 === 0 ? "bg-shade" : "bg-paper"}`}
          >
            <span aria-hidden className="absolute top-[3px] right-[2px] bottom-[3px] w-[3px] bg-rule">
              <span
                ref={(e) => {
                  if (e) meters.current.set(track.id, e);
                  return () => void meters.current.delete(track.id);
                }}
                className="block h-full origin-bottom bg-ink"
                style={{ transform: "scaleY(0)" }}
              />
            </span>
            {chosen && <span aria-hidden className="absolute inset-y-0 left-0 w-[3px] bg-spot" />}
            <span
              className={`figure grid h-full items-center pl-2 text-[11px] text-soft ${track.kind === "mix" ? "" : "cursor-grab touch-none"}`}
              title={track.kind === "mix" ? undefined : "Drag to put it elsewhere (Ctrl with up and down)"}
              {...(track.kind === "mix" ? {} : carry.gripOf(row))}
            >
              {row + 1}
            </span>
            <div
              className={`min-w-0 ${track.output !== null && track.output !== "mix" && session.tracks.find((t) => t.id === track.output)?.kind === "group" ? "pl-2" : ""}`}
            >
              <Editable
                double
                value={track.name}
                label={`Track ${row + 1}`}
                onCommit={(name) =>
                  edit(`Rename ${trackName(track)}`, [{ do: "set", in: "tracks", id: track.id, patch: { name } }])
                }
                className={`w-full text-[13.5px] leading-[18px] outline-offset-0 ${track.kind === "group" || track.kind === "mix" || track.kind === "return" ? "font-bold" : "font-medium"}`}
              />
              <p className="truncate text-[11px] leading-[14px] text-soft">
                {track.kind}
                {track.kind !== "mix" && (
                  <>
                    {" "}
                    · <span className={state === "stale" ? "font-semibold text-caution" : ""}>{state}</span>
                  </>
                )}
                {track.kind === "mix" && (
                  <span ref={loudness} className="figure" title="Loudness of the last three seconds" />
                )}
                {track.mute && <span className="text-signal"> · muted</span>}
                {track.hidden && " · hidden"}
                {track.takes.length > 0 && (
                  <>
                    {" "}
                    · <Takes track={track} />
                  </>
                )}
              </p>
            </div>
            <button
              type="button"
              aria-label={`Hear only ${trackName(track)}`}
              aria-pressed={soloed.has(track.id)}
              title={soloed.has(track.id) ? "Hear everything again (S)" : "Hear only this (S); never part of a print"}
              onClick={(e) => {
                e.stopPropagation();
                solo([track.id]);
              }}
              className={`grid size-6 place-items-center rounded-sm ${soloed.has(track.id) ? "bg-spot text-on-spot" : "text-faint hover:bg-rule hover:text-ink"} ${track.kind === "mix" ? "invisible" : ""}`}
            >
              <Headphones size={13} aria-hidden />
            </button>
            <div
              className="w-9 text-right"
              title={
                share === undefined
                  ? "Its load has not been measured yet"
                  : `Takes ${(share * 100).toFixed(1)} % of one core while it plays`
              }
            >
              <span className="figure block text-[11px] leading-[14px]" aria-label={`Load of ${trackName(track)}`}>
                {share === undefined
                  ? "–"
                  : share < 0.0005
                    ? "0"
                    : share < 0.1
                      ? share.toFixed(3).slice(1)
                      : share.toFixed(2).replace(/^0/, "")}
              </span>
              <span aria-hidden className="mt-[3px] block h-[4px] bg-rule">
                <span
                  className="block h-full bg-ink"
                  style={{ width: `${Math.min(100, ((share ?? 0) / FULL_BAR) * 100)}%` }}
                />
              </span>
            </div>
          </li>
        );
      })}
    </ul>
  );
}
