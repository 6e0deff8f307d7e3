"use client";

import { usePull } from "../parts/pull";
import { useRef } from "react";
import type { Session, Track } from "../../core/session/document";
import { groupsAbove } from "../../core/session/routing";
import type { PrintTap } from "../../core/printing/slip";
import { trackName } from "../session/track-state";
import { useSession } from "../session/provider";
import type { PathLayout, PathRow, RowHeights } from "./path-layout";
import { useSlip } from "../slip/slip-store";
import { tapOf, tapOptions } from "../slip/slip-taps";
import { COLUMN, TAP_X } from "./path-layout";
import type { Ink } from "./ink";
import { onward } from "../../core/session/routing";

/** Lines beyond the devices that a print bakes in: past the fader, or along every group to the mix. */
export function bakedStreams(
  session: Session,
  layout: PathLayout,
  { tracks, tap, before }: Ink,
  heights: RowHeights,
): readonly string[] {
  if (tap === "clip" || tap === "devices" || before !== null) return [];
  if (tap === "channel")
    return layout.rows
      .filter((r) => tracks.has(r.track.id))
      .map((r) => `M${COLUMN.tap} ${heights.middle(r.row)}H${TAP_X.channel}`);
  const along = new Set<string>();
  for (const track of session.tracks)
    if (tracks.has(track.id))
      for (const at of [track, ...onward(session, track)]) if (at.kind !== "mix" || tap === "mix") along.add(at.id);
  return [...layout.upTo, ...layout.after].filter((s) => along.has(s.track)).map((s) => s.d);
}

/** The row a tap stands on: the track's own, or behind its groups the last one's on the way to the mix. */
export const tapRow = (session: Session, track: Track, tap: PrintTap): number =>
  session.tracks.indexOf((tap === "group" ? groupsAbove(session, track).at(-1) : undefined) ?? track);

/** Where a tap stands on a track's path. */
export function tapX({ beads }: Pick<PathRow, "beads">, { tap, before }: Pick<Ink, "tap" | "before">): number {
  const bead = beads.find((b) => b.device.id === before);
  return bead ? Math.max(TAP_X.clip, bead.x - 3) : TAP_X[tap];
}

type Stop = Pick<Ink, "tap" | "before">;

/** The tap on a path: dragged along it, past the beads, or moved by arrow keys, it says how much is baked. */
export function TapHandle({ row, ink, top }: { readonly row: PathRow; readonly ink: Ink; readonly top: number }) {
  const { want, show } = useSlip();
  const session = useSession((s) => s.session);
  const press = useRef(0);
  const { track } = row;
  const one = ink.tracks.size === 1;
  const options = tapOptions(session, one ? [track] : session.tracks.filter((t) => ink.tracks.has(t.id)));
  const stops: readonly Stop[] = options.map((o) => tapOf(o.value));
  const at = stops.findIndex((s) => s.tap === ink.tap && s.before === ink.before);
  const said = options[at]?.label ?? "";
  const put = (next: Stop | undefined) => {
    if (!next || (next.tap === ink.tap && next.before === ink.before)) return;
    want(next);
    show("print");
  };
  const pull = usePull<HTMLButtonElement>({
    begin(e) {
      press.current = e.clientX - tapX(row, ink);
      return true;
    },
    move(e) {
      const x = e.clientX - press.current;
      const away = (s: Stop) => Math.abs(tapX(row, s) - x);
      put(stops.reduce((best, s) => (away(s) < away(best) ? s : best), stops[0] ?? ink));
    },
    end: () => undefined,
    cancel: () => undefined,
  });
  return (
    <button
      type="button"
      aria-label={`Tap of ${trackName(track)}: ${said}. Left and right move it along the path`}
      title={`Tapped ${said}. Drag along the path to bake more or less`}
      className="absolute z-10 size-6 cursor-ew-resize touch-none rounded-full focus-visible:outline-2 focus-visible:outline-spot"
      style={{ left: tapX(row, ink) - 12, top }}
      {...pull}
      onKeyDown={(e) => {
        if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
        e.preventDefault();
        put(stops[at + (e.key === "ArrowRight" ? 1 : -1)]);
      }}
    />
  );
}
