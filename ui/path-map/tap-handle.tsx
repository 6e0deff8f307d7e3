"use client";

import { usePull } from "../parts/pull";
import { useRef } from "react";
import type { Session, Track } from "../../core/session/document";
import { groupsAbove } from "../../core/session/routing";
import type { PrintTap } from "../../core/printing/slip";
import { trackName } from "../session/track-state";
import type { PathLayout, RowHeights } from "./path-layout";
import { useSlip } from "../slip/slip-store";
import { COLUMN, TAP_X } from "./path-layout";
import type { Ink } from "./path-map";
import { onward } from "../../core/session/routing";

/** Lines beyond the devices that a print bakes in: past the fader, or along every group to the mix. */
export function bakedStreams(
  session: Session,
  layout: PathLayout,
  { tracks, tap }: Ink,
  heights: RowHeights,
): readonly string[] {
  if (tap === "clip" || tap === "devices") return [];
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

const TAP_NAMES: Record<PrintTap, string> = {
  clip: "at its clips",
  devices: "after its devices",
  channel: "after its fader",
  group: "after its groups",
  mix: "at the end of the mix",
};

/** The tap on a path: dragged along it, or moved by arrow keys, it says how much is baked. */
export function TapHandle({
  track,
  tap,
  top,
}: {
  readonly track: Track;
  readonly tap: PrintTap;
  readonly top: number;
}) {
  const { want, show } = useSlip();
  const press = useRef(0);
  const sums = track.kind === "group" || track.kind === "return";
  const stops: readonly PrintTap[] =
    track.kind === "mix"
      ? ["mix"]
      : sums || track.kind === "instrument"
        ? ["devices", "channel", "group"]
        : ["clip", "devices", "channel", "group"];
  const put = (next: PrintTap | undefined) => {
    if (!next || next === tap) return;
    want({ tap: next });
    show("print");
  };
  const pull = usePull<HTMLButtonElement>({
    begin(e) {
      press.current = e.clientX - TAP_X[tap];
      return true;
    },
    move(e) {
      const x = e.clientX - press.current;
      const nearest = (best: PrintTap, s: PrintTap) => (Math.abs(TAP_X[s] - x) < Math.abs(TAP_X[best] - x) ? s : best);
      put(stops.reduce(nearest, stops[0] ?? tap));
    },
    end: () => undefined,
    cancel: () => undefined,
  });
  return (
    <button
      type="button"
      aria-label={`Tap of ${trackName(track)}: ${TAP_NAMES[tap]}. Left and right move it along the path`}
      title={`Tapped ${TAP_NAMES[tap]}. Drag along the path to bake more or less`}
      className="absolute z-10 size-6 cursor-ew-resize touch-none rounded-full focus-visible:outline-2 focus-visible:outline-spot"
      style={{ left: TAP_X[tap] - 12, top }}
      {...pull}
      onKeyDown={(e) => {
        if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
        e.preventDefault();
        put(stops[stops.indexOf(tap) + (e.key === "ArrowRight" ? 1 : -1)]);
      }}
    />
  );
}
