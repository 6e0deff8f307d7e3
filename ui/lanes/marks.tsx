"use client";

import type { Frames } from "../../core/units";
import { Button } from "../parts/button";
import { Editable } from "../parts/editable";
import { Floating } from "../parts/floating";
import { itemMenu, type ItemEntry } from "../parts/item-menu";
import { usePlaybackStore } from "../playback/provider";
import { barText, clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import type { LaneView } from "../timeline/view";
import { MARK_STRIP, xOf } from "../timeline/view";
import { markerEntries, rangeEntries } from "./mark-menu";

/** The entries of a mark's menu as buttons, in the sheet that opens from it. */
const Entries = ({ of }: { readonly of: readonly ItemEntry[] }) => (
  <div className="mt-3 grid gap-1.5">
    {of.map(({ label, run }) => (
      <Button key={label} onClick={run}>
        {label}
      </Button>
    ))}
  </div>
);

/** Markers and saved ranges along the ruler's upper edge. Each opens a sheet with its name and what can be done. */
export function Marks({ view, width }: { readonly view: LaneView; readonly width: number }) {
  const { session, edit, selectRange } = useSessionParts((s) => ({
    session: s.session,
    edit: s.edit,
    selectRange: s.selectRange,
  }));
  const playback = usePlaybackStore();
  const clock = clockOf(session);
  const at = (tick: number) => clock.tempo.toFrames(tick);
  const seek = (frame: Frames) => playback.getState().seek(frame);
  const loop = (span: { readonly from: Frames; readonly to: Frames }) => {
    const { mark, loop: turn } = playback.getState();
    mark(span);
    seek(span.from);
    turn(true);
  };
  return (
    <>
      {session.ranges.map((range) => {
        const [x, right] = [xOf(view, at(range.from)), xOf(view, at(range.to))];
        if (right < 0 || x > width) return null;
        const stretch = { from: at(range.from), to: at(range.to) };
        const entries = () => rangeEntries(session, range, stretch, { edit, seek, loop, select: selectRange });
        return (
          <Floating
            key={range.id}
            label={`Saved range ${range.name}`}
            side="bottom"
            width={260}
            trigger={
              <button
                type="button"
                data-mark
                {...itemMenu(`Saved range ${range.name}`, entries)}
                aria-label={`Saved range ${range.name}, bar ${barText(clock, stretch.from)} to ${barText(clock, stretch.to)}`}
                title={range.name}
                className="absolute top-0 h-[15px] overflow-hidden border-x border-t border-ink bg-lift px-1 text-left text-[10px] leading-[12px] whitespace-nowrap text-ink hover:bg-spot-wash"
                style={{ left: x, width: Math.max(12, right - x) }}
              >
                {range.name}
              </button>
            }
          >
            <Editable
              value={range.name}
              label="Name of the range"
              onCommit={(name) =>
                edit(`Rename the range ${range.name}`, [{ do: "set", in: "ranges", id: range.id, patch: { name } }])
              }
              className="text-base font-semibold"
            />
            <p className="figure text-xs text-soft">
              {barText(clock, stretch.from)} to {barText(clock, stretch.to)}
            </p>
            <Entries of={entries()} />
          </Floating>
        );
      })}
      {session.markers.map((marker) => {
        const x = xOf(view, at(marker.tick));
        if (x < -40 || x > width) return null;
        const entries = () => markerEntries(marker, at(marker.tick), { edit, seek });
        return (
          <Floating
            key={marker.id}
            label={`Marker ${marker.name}`}
            side="bottom"
            width={240}
            trigger={
              <button
                type="button"
                data-mark
                {...itemMenu(`Marker ${marker.name}`, entries)}
                aria-label={`Marker ${marker.name}, bar ${barText(clock, at(marker.tick))}`}
                title={marker.name}
                className="absolute h-[15px] border-l-2 border-spot bg-spot-wash pr-1 pl-0.5 text-[10px] leading-[13px] whitespace-nowrap text-ink hover:bg-lift"
                style={{ left: x, top: session.ranges.length > 0 ? MARK_STRIP : 0 }}
              >
                {marker.name}
              </button>
            }
          >
            <Editable
              value={marker.name}
              label="Name of the marker"
              onCommit={(name) =>
                edit(`Rename the marker ${marker.name}`, [{ do: "set", in: "markers", id: marker.id, patch: { name } }])
              }
              className="text-base font-semibold"
            />
            <p className="figure text-xs text-soft">{barText(clock, at(marker.tick))}</p>
            <Entries of={entries()} />
          </Floating>
        );
      })}
    </>
  );
}
