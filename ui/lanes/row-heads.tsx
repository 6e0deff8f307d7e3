"use client";

import { useRef, type MouseEvent, type PointerEvent } from "react";
import type { Session } from "../../core/session/document";
import { padAt, printOntoPad } from "../kit/onto-pad";
import { usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { trackName, trackStates } from "../session/track-state";
import { useRows } from "../timeline/shown";
import { HEAD_WIDTH } from "../timeline/view";
import type { RowWindow } from "../timeline/visible-rows";
import { RowHead } from "./row-head";
import { afterPress } from "./select-rows";
import { useRenaming } from "../tracks/renaming";
import { useCarry } from "./use-carry";
import { Meters } from "./meters";

interface Props extends RowWindow {
  /** CSS pixels. */
  readonly rowHeight: number;
}

/** The heads of all tracks in sight. Click selects, with Ctrl adds, with Shift takes all between. */
export function RowHeads({ rowHeight, first, end }: Props) {
  const rows = useRows();
  const { arrived, whole, selected, load, select, edit } = useSessionParts((s) => ({
    arrived: s.arrived,
    whole: s.session,
    selected: s.selected,
    load: s.load,
    select: s.select,
    edit: s.edit,
  }));
  const { soloed, solo } = usePlayback((p) => ({ soloed: p.soloed, solo: p.solo }));
  const loudness = useRef<HTMLSpanElement>(null);
  const renaming = useRenaming((s) => s.track);
  const states = trackStates(whole);
  const carry = useCarryTracks(rows, rowHeight);
  const choose = (id: string, event: MouseEvent) =>
    select([
      ...afterPress(
        rows.tracks.map((t) => t.id),
        selected,
        id,
        { through: event.shiftKey, adding: event.ctrlKey || event.metaKey },
      ),
    ]);
  const isGroup = (id: string | null) =>
    id !== null && id !== "mix" && rows.tracks.find((t) => t.id === id)?.kind === "group";
  return (
    <div style={{ width: HEAD_WIDTH }} className="relative border-r border-rule">
      <ul aria-label="Tracks" className="relative isolate" style={{ paddingTop: first * rowHeight }}>
        {carry.gap !== null && (
          <li
            aria-hidden
            className="absolute right-0 left-0 z-10 h-[3px] bg-spot"
            style={{ top: carry.gap * rowHeight - 2 }}
          />
        )}
        {rows.tracks.slice(first, end).map((track, i) => (
          <RowHead
            key={track.id}
            track={track}
            row={first + i}
            rows={rows.tracks.length}
            rowHeight={rowHeight}
            state={states.get(track.id) ?? "live"}
            chosen={selected.includes(track.id)}
            arrived={arrived.includes(track.id)}
            inGroup={isGroup(track.output)}
            soloed={soloed.has(track.id)}
            load={load?.tracks[track.id]}
            loudness={loudness}
            grip={carry.gripOf(first + i)}
            onChoose={(event) => choose(track.id, event)}
            renaming={renaming === track.id}
            onLeave={endRenaming}
            onRename={(name) => {
              endRenaming();
              edit(`Rename ${trackName(track)}`, [{ do: "set", in: "tracks", id: track.id, patch: { name } }]);
            }}
            onSolo={() => solo([track.id])}
          />
        ))}
      </ul>
      <Meters {...{ rowHeight, first, end, loudness }} />
    </div>
  );
}

const endRenaming = () => useRenaming.setState({ track: null });

/** Tracks are carried to other rows, and onto the pads of an open kit, where their print goes. */
function useCarryTracks(rows: Session, rowHeight: number) {
  const { whole, edit, print } = useSessionParts((s) => ({ whole: s.session, edit: s.edit, print: s.print }));
  const move = (from: number, to: number) => {
    const track = rows.tracks[from];
    const index = whole.tracks.findIndex((t) => t.id === rows.tracks[to]?.id);
    if (track) edit(`Move ${trackName(track)}`, [{ do: "move", in: "tracks", id: track.id, index }]);
  };
  const ontoPad = (from: number, point: PointerEvent): boolean => {
    const pad = padAt(point);
    const track = rows.tracks[from];
    if (!pad || !track) return false;
    printOntoPad({ session: whole, print }, pad, trackName(track), { tracks: [track.id] });
    return true;
  };
  return useCarry(rowHeight, rows.tracks.length - 1, move, ontoPad);
}
