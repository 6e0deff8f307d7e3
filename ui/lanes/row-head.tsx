"use client";

import { Headphones } from "lucide-react";
import type { DOMAttributes, MouseEvent, Ref } from "react";
import type { Track } from "../../core/session/document";
import { askMenu } from "../actions/menu-store";
import { Editable } from "../parts/editable";
import type { TrackState } from "../session/track-state";
import { trackName } from "../session/track-state";
import { Takes } from "./takes";

/** A load at which one core is half busy fills the bar. */
const FULL_BAR = 0.5;

interface Props {
  readonly track: Track;
  /** From 0. */
  readonly row: number;
  readonly rows: number;
  /** CSS pixels. */
  readonly rowHeight: number;
  readonly state: TrackState;
  readonly chosen: boolean;
  readonly arrived: boolean;
  /** Whether it runs into a group. */
  readonly inGroup: boolean;
  readonly soloed: boolean;
  /** Part of one core that it takes while it plays; undefined: not measured yet. */
  readonly load: number | undefined;
  /** Of the loudness, on the mix. */
  readonly loudness: Ref<HTMLSpanElement>;
  /** Handlers that carry it to another row. */
  readonly grip: DOMAttributes<HTMLElement>;
  readonly onChoose: (event: MouseEvent) => void;
  /** Its name is a field now. */
  readonly renaming: boolean;
  readonly onRename: (name: string) => void;
  readonly onLeave: () => void;
  readonly onSolo: () => void;
}

/** Number, name, state and load of a track. */
export function RowHead({ track, row, rows, rowHeight, chosen, arrived, grip, onChoose, ...of }: Props) {
  const isMix = track.kind === "mix";
  const isSum = isMix || track.kind === "group" || track.kind === "return";
  const wash = chosen ? "bg-spot-wash" : row % 2 === 0 ? "bg-shade" : "bg-paper";
  return (
    <li
      aria-setsize={rows}
      aria-posinset={row + 1}
      style={{ height: rowHeight }}
      onClick={onChoose}
      onContextMenu={(event) => {
        if (!chosen) onChoose(event);
        askMenu("track");
      }}
      {...(chosen ? { "data-selected-row": true } : {})}
      className={`relative grid grid-cols-[22px_1fr_auto_auto] items-center gap-x-1 pr-2 ${arrived ? "flash-once" : ""} ${wash}`}
    >
      {chosen && <span aria-hidden className="absolute inset-y-0 left-0 w-[3px] bg-spot" />}
      <span
        className={`figure grid h-full items-center pl-2 text-[11px] text-soft ${isMix ? "" : "cursor-grab touch-none"}`}
        title={isMix ? undefined : "Drag to put it elsewhere (Ctrl with up and down)"}
        {...(isMix ? {} : grip)}
      >
        {row + 1}
      </span>
      <div className={`min-w-0 ${of.inGroup ? "pl-2" : ""}`}>
        <Editable
          key={of.renaming ? "open" : "shut"}
          double
          open={of.renaming}
          onLeave={of.onLeave}
          value={track.name}
          label={`Track ${row + 1}`}
          onCommit={of.onRename}
          className={`w-full text-[13.5px] leading-[18px] outline-offset-0 ${isSum ? "font-bold" : "font-medium"}`}
        />
        <StateLine track={track} state={of.state} loudness={of.loudness} />
      </div>
      <button
        type="button"
        aria-label={`Hear only ${trackName(track)}`}
        aria-pressed={of.soloed}
        title={of.soloed ? "Hear everything again (S)" : "Hear only this (S); never part of a print"}
        onClick={(e) => {
          e.stopPropagation();
          of.onSolo();
        }}
        className={`grid size-6 place-items-center rounded-sm ${of.soloed ? "bg-spot text-on-spot" : "text-faint hover:bg-rule hover:text-ink"} ${isMix ? "invisible" : ""}`}
      >
        <Headphones size={13} aria-hidden />
      </button>
      <Load track={track} part={of.load} />
    </li>
  );
}

function StateLine({ track, state, loudness }: Pick<Props, "track" | "state" | "loudness">) {
  return (
    <p className="truncate text-[11px] leading-[14px] text-soft">
      {track.kind}
      {track.kind === "mix" ? (
        <span ref={loudness} className="figure" title="Loudness of the last three seconds" />
      ) : (
        <>
          {" "}
          · <span className={state === "stale" ? "font-semibold text-caution" : ""}>{state}</span>
        </>
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
  );
}

function Load({ track, part }: { readonly track: Track; readonly part: number | undefined }) {
  return (
    <div
      className="w-9 text-right"
      title={
        part === undefined
          ? "Its load has not been measured yet"
          : `Takes ${(part * 100).toFixed(1)} % of one core while it plays`
      }
    >
      <span className="figure block text-[11px] leading-[14px]" aria-label={`Load of ${trackName(track)}`}>
        {loadText(part)}
      </span>
      <span aria-hidden className="mt-[3px] block h-[4px] bg-rule">
        <span className="block h-full bg-ink" style={{ width: `${Math.min(100, ((part ?? 0) / FULL_BAR) * 100)}%` }} />
      </span>
    </div>
  );
}

/** `.004`, `.25`, `1.20`; 0 below a twentieth of a percent. */
function loadText(part: number | undefined): string {
  if (part === undefined) return "–";
  if (part < 0.0005) return "0";
  return part < 0.1 ? part.toFixed(3).slice(1) : part.toFixed(2).replace(/^0/, "");
}
