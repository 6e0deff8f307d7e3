"use client";

import { usePull } from "../parts/pull";
import { useRef, useState } from "react";
import { toast } from "sonner";
import type { Session, Track } from "../../core/session/document";
import { Menu, MenuHeading, MenuItem } from "../parts/menu";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { COLUMN } from "./path-layout";
import { MAP_WIDTH } from "../timeline/view";

interface Props {
  readonly track: Track;
  readonly row: number;
  readonly rowHeight: number;
  readonly session: Session;
}

const DRAG_PX = 4;

/**
 * The end of a path's line: dragged onto the row of a group or of the mix it runs there; pressed, it offers the same as
 * a list.
 */
export function OutputHandle({ track, row, rowHeight, session }: Props) {
  const { edit, selected } = useSessionParts((s) => ({ edit: s.edit, selected: s.selected }));
  const [open, setOpen] = useState(false);
  const press = useRef({ x: 0, y: 0 });
  const [carried, setCarried] = useState<{ readonly dx: number; readonly dy: number } | null>(null);
  const name = trackName(track);
  const targets = session.tracks.filter((t) => (t.kind === "group" || t.kind === "mix") && t.id !== track.id);
  const output = targets.find((t) => t.id === track.output);
  /** With others that are chosen together with it: what can run there does. */
  const together = (to: Track): readonly Track[] =>
    selected.includes(track.id)
      ? session.tracks.filter(
          (t) => selected.includes(t.id) && t.kind !== "mix" && t.id !== to.id && t.output !== to.id,
        )
      : [track].filter((t) => t.output !== to.id);
  const route = (to: Track | undefined) => {
    const moved = to ? together(to) : [];
    if (!to || moved.length === 0) return;
    edit(
      `Run ${moved.length === 1 ? trackName(moved[0] as Track) : `${moved.length} tracks`} into ${trackName(to)}`,
      moved.map((t) => ({ do: "set", in: "tracks", id: t.id, patch: { output: to.id } })),
    );
  };
  const others = selected.includes(track.id)
    ? session.tracks.filter((t) => selected.includes(t.id) && t.kind !== "mix").length - 1
    : 0;
  const under = carried && session.tracks[row + Math.round(carried.dy / rowHeight)];
  const landing = under && targets.includes(under) ? under : null;
  const pull = usePull<HTMLButtonElement>({
    begin(e) {
      // The menu opens when the press ends where it began.
      e.preventDefault();
      press.current = { x: e.clientX, y: e.clientY };
      return true;
    },
    move(e) {
      const [dx, dy] = [e.clientX - press.current.x, e.clientY - press.current.y];
      if (carried || Math.hypot(dx, dy) >= DRAG_PX) setCarried({ dx, dy });
    },
    end(e) {
      const dy = e.clientY - press.current.y;
      if (!carried) return setOpen(true);
      setCarried(null);
      const to = session.tracks[row + Math.round(dy / rowHeight)];
      if (to && targets.includes(to)) route(to);
      else toast(`Let it go on a group or on the mix. ${name} runs on as before.`);
    },
    cancel: () => setCarried(null),
  });
  return (
    <>
      {carried && (
        <svg
          aria-hidden
          className="pointer-events-none absolute z-20 overflow-visible"
          style={{ left: 0, top: rowHeight / 2 }}
          width={1}
          height={1}
        >
          <path
            d={`M${COLUMN.end} 0L${COLUMN.end + carried.dx} ${carried.dy}`}
            stroke="var(--spot)"
            strokeWidth="2"
            strokeDasharray="4 3"
            fill="none"
          />
          {landing && (
            <rect
              x={2}
              y={(session.tracks.indexOf(landing) - row) * rowHeight - rowHeight / 2 + 2}
              width={MAP_WIDTH - 5}
              height={rowHeight - 4}
              fill="none"
              stroke="var(--spot)"
              strokeWidth="2"
            />
          )}
        </svg>
      )}
      <Menu
        label={`Where ${name} runs`}
        open={open}
        onOpenChange={setOpen}
        trigger={
          <button
            type="button"
            aria-label={`${name} runs into ${output ? trackName(output) : "nothing"}`}
            title={`Into ${output ? trackName(output) : "nothing"}. Drag onto another group, or press to choose`}
            className="group absolute top-[var(--middle)] z-10 grid h-6 w-6 cursor-alias touch-none place-items-center"
            style={{ left: COLUMN.end - 12 }}
            {...pull}
          >
            <span
              aria-hidden
              className="size-[9px] rotate-45 border border-ink bg-lift group-hover:bg-spot group-focus-visible:bg-spot"
            />
          </button>
        }
      >
        <MenuHeading>{others > 0 ? `${name} and ${others} more run into` : `${name} runs into`}</MenuHeading>
        {targets.map((t) => (
          <MenuItem key={t.id} onSelect={() => route(t)}>
            {trackName(t)}
            <span className="text-xs text-soft">{t.id === track.output ? "as now" : t.kind}</span>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
