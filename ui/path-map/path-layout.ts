import { declarationOf } from "../../core/devices/catalogue";
import type { PrintTap } from "../../core/printing/slip";
import type { Device, Session, Track } from "../../core/session/document";
import { MAP_WIDTH } from "../timeline/view";
import type { RowWindow } from "../timeline/visible-rows";

/** Where things stand along every path, in pixels from the map's left edge. One set of columns for all rows. */
export const COLUMN = {
  start: 8,
  devices: 16,
  devicesEnd: 188,
  /** After the devices and before the fader: where a print of the devices is tapped, and pre-fader sends leave. */
  tap: 195,
  fader: 204,
  faderEnd: 258,
  pan: 263,
  valve: 294,
  /** Where post-fader sends leave. */
  send: 322,
  /** The end that can be run elsewhere. */
  end: 346,
  conduits: 360,
  trunk: MAP_WIDTH - 22,
} as const;

/** Where each tap stands on a path. */
export const TAP_X: Record<PrintTap, number> = {
  clip: 11,
  devices: COLUMN.tap,
  channel: 336,
  group: COLUMN.trunk - 14,
  mix: MAP_WIDTH - 24,
};

/** Heights of a row's middle, and of the bank along which a stream from above runs back to the row's start. */
export interface RowHeights {
  middle(row: number): number;
  bank(row: number): number;
}
export const rowHeights = (rowHeight: number): RowHeights => ({
  middle: (row) => row * rowHeight + rowHeight / 2,
  bank: (row) => row * rowHeight + 4.5,
});

export interface Bead {
  readonly device: Device;
  readonly label: string;
  readonly x: number;
  readonly width: number;
  readonly installed: boolean;
}

export interface PathRow {
  readonly row: number;
  readonly track: Track;
  readonly beads: readonly Bead[];
  /** Where another device would come. */
  readonly plus: number;
}

/** A line of the drawing as an SVG path. */
export interface Stream {
  readonly d: string;
  readonly track: string;
  /** The first row that it touches, and the last. */
  readonly rows: readonly [number, number];
}

/** Whether a line is seen while rows from `first` up to `end` are. */
export const isSeen = ({ rows: [top, bottom] }: Pick<Stream, "rows">, { first, end }: RowWindow): boolean =>
  bottom >= first && top < end;

const between = (a: number, b: number): readonly [number, number] => [Math.min(a, b), Math.max(a, b)];

export interface PathLayout {
  readonly rows: readonly PathRow[];
  /** From the start of a row to the tap after its devices, and from there to where it joins the next. */
  readonly upTo: readonly Stream[];
  readonly after: readonly Stream[];
  readonly spurs: readonly (Stream & {
    readonly to: string;
    readonly dot: { readonly x: number; readonly y: number };
    readonly send: string;
  })[];
}

/** Room for the plus behind the last device. */
const PLUS_PX = 22;
const RADIUS = 8;
const LETTER_PX = 6.9;

/**
 * Lays out every path of a session: rows run to the right, and what joins a group, a return or the mix flows down and
 * back to that row's start.
 */
export function layoutPaths(session: Session, heights: RowHeights): PathLayout {
  const rowOf = new Map(session.tracks.map((t, i) => [t.id, i]));
  const groups = session.tracks.filter((t) => t.kind === "group");
  const conduitOf = (track: Track) =>
    track.kind === "mix" ? COLUMN.trunk : COLUMN.conduits + 11 * Math.max(0, groups.indexOf(track));
  const returns = session.tracks.filter((t) => t.kind === "return");

  const rows = session.tracks.map((track, row): PathRow => {
    const beads = beadsOf(session, track);
    const last = beads.at(-1);
    return { row, track, beads, plus: last ? last.x + last.width + 1 : COLUMN.devices };
  });
  const upTo = rows.map(({ row, track }): Stream => ({
    track: track.id,
    rows: [row, row],
    d: `M${COLUMN.start} ${heights.middle(row)}H${COLUMN.tap}`,
  }));
  const after = rows.map(({ row, track }): Stream => {
    const from = `M${COLUMN.tap} ${heights.middle(row)}`;
    const target = track.output === null ? undefined : session.tracks.find((t) => t.id === track.output);
    const targetRow = target && rowOf.get(target.id);
    if (!target || targetRow === undefined)
      return { track: track.id, rows: [row, row], d: `${from}H${MAP_WIDTH - 12}` };
    const d = `${from}${joins(heights, row, targetRow, conduitOf(target))}`;
    return { track: track.id, rows: between(row, targetRow), d };
  });
  const spurs = session.tracks.flatMap((track, row) =>
    track.sends.flatMap((send) => {
      const index = returns.findIndex((r) => r.id === send.to);
      const targetRow = rowOf.get(send.to);
      if (index < 0 || targetRow === undefined) return [];
      const x = send.position === "before fader" ? COLUMN.tap : COLUMN.send + (index % 3) * 4 - 4;
      return [
        {
          track: track.id,
          send: send.id,
          to: send.to,
          rows: between(row, targetRow),
          dot: { x, y: heights.middle(row) },
          d: `M${x} ${heights.middle(row)}${landing(heights, targetRow, targetRow > row ? 1 : -1)}`,
        },
      ];
    }),
  );
  return { rows, upTo, after, spurs };
}

/** Along the row to the conduit, then down (or up) and back to the start of the target's row. */
function joins(heights: RowHeights, row: number, target: number, x: number): string {
  const down = target > row ? 1 : -1;
  return `H${x - RADIUS}q${RADIUS} 0 ${RADIUS} ${down * RADIUS}${landing(heights, target, down)}`;
}

function landing(heights: RowHeights, target: number, down: number): string {
  const bank = heights.bank(target);
  const middle = heights.middle(target);
  const r = 4;
  // Coming from below, the stream passes the row's middle and turns at its bank all the same.
  return `V${bank - down * r}q0 ${down * r} ${-r} ${down * r}H${COLUMN.start - 2 + r}q${-r} 0 ${-r} ${r}V${middle - r}q0 ${r} ${r} ${r}`;
}

/** A longer name ends in dots. */
const WIDEST_PX = 120;

function beadsOf(session: Session, track: Track): readonly Bead[] {
  const wanted = track.devices.map((device) => {
    const declaration = declarationOf(device.type);
    const keyRow = device.key === null ? -1 : session.tracks.findIndex((t) => t.id === device.key);
    // An instrument of the user's own is known by its name.
    const plays = session.instruments.find((i) => i.id === device.instrument)?.name;
    const label = `${plays ?? declaration?.name ?? device.type}${keyRow >= 0 ? ` ‹${keyRow + 1}` : ""}`;
    return {
      device,
      label,
      installed: declaration !== undefined,
      width: Math.min(WIDEST_PX, Math.max(26, label.length * LETTER_PX + 14)),
    };
  });
  const gap = 5;
  const room = COLUMN.devicesEnd - COLUMN.devices - PLUS_PX - gap * Math.max(0, wanted.length - 1);
  const total = wanted.reduce((sum, w) => sum + w.width, 0);
  const squeeze = Math.min(1, room / Math.max(1, total));
  let x = COLUMN.devices;
  return wanted.map((w) => {
    const width = Math.max(12, w.width * squeeze);
    const bead = { ...w, x, width };
    x += width + gap;
    return bead;
  });
}
