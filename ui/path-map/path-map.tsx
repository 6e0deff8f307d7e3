"use client";

import { memo, useMemo } from "react";
import type { PatchOf } from "../../core/session/records";
import type { Session, Track } from "../../core/session/document";
import { parted } from "../../core/printing/slip";
import { moveDevice } from "../../core/session/track-edits";
import { itemMenu } from "../parts/item-menu";
import { usePlaybackStore } from "../playback/provider";
import { useSession, useSessionParts } from "../session/provider";
import type { TrackState } from "../session/track-state";
import { trackName, trackStates } from "../session/track-state";
import { useRows } from "../timeline/shown";
import { AddDevice } from "../devices/add-device";
import { Bead } from "./bead";
import { DevicePanel } from "../devices/device-panel";
import { Fader, Pan } from "./fader";
import type { PathRow, Stream } from "./path-layout";
import { OutputHandle } from "./output-handle";
import { COLUMN, isSeen, layoutPaths, rowHeights } from "./path-layout";
import { MAP_WIDTH } from "../timeline/view";
import type { RowWindow } from "../timeline/visible-rows";
import { deviceEntries, faderEntries } from "./path-menus";
import { useDrawer } from "../drawer/drawer-store";
import { useSlip } from "../slip/slip-store";
import { Sends } from "./path-sends";
import type { Ink } from "./ink";
import { bakedStreams, tapRow, tapX, TapHandle } from "./tap-handle";

/**
 * Every track's signal path as a stream: from the lane through devices, fader and pan into its group and the mix.
 * Of the tracks about to be printed, the part up to the tap is inked; of frozen ones, the part that rests is dotted.
 */
export function PathMap({ ink, rowHeight, first, end }: RowWindow & { readonly ink: Ink; readonly rowHeight: number }) {
  const inked = ink.tracks;
  const session = useRows();
  const whole = useSession((s) => s.session);
  const heights = useMemo(() => rowHeights(rowHeight), [rowHeight]);
  const layout = useMemo(() => layoutPaths(session, heights), [session, heights]);
  const states = trackStates(whole);
  const height = session.tracks.length * rowHeight;
  // Of many rows, what is out of sight is not drawn.
  const seen = useMemo(() => {
    const inSight = (line: Pick<Stream, "rows">) => isSeen(line, { first, end });
    return {
      upTo: layout.upTo.filter(inSight),
      after: layout.after.filter(inSight),
      spurs: layout.spurs.filter(inSight),
    };
  }, [layout, first, end]);
  const parked = new Set(session.tracks.filter((t) => t.parked).map((t) => t.id));
  const closed = new Set(session.tracks.filter((t) => t.mute).map((t) => t.id));
  return (
    <div className="relative isolate" style={{ width: MAP_WIDTH, height }}>
      {layout.rows.slice(first, end).map(({ track, row }) => (
        <div
          key={track.id}
          className={`absolute inset-x-0 ${row % 2 === 0 ? "bg-shade" : "bg-paper"}`}
          style={{ top: row * rowHeight, height: rowHeight }}
        />
      ))}
      <svg width={MAP_WIDTH} height={height} className="absolute inset-0" aria-hidden>
        {seen.spurs.map((s) => (
          <path key={s.send} d={s.d} fill="none" stroke="var(--ink-soft)" strokeWidth="1" strokeDasharray="1.5 3" />
        ))}
        <g fill="none" strokeLinejoin="round">
          {[...seen.upTo, ...seen.after].map((s, i) => {
            if (parked.has(s.track))
              return <path key={i} d={s.d} stroke="var(--ink-faint)" strokeWidth="1" strokeDasharray="4 3" />;
            const dry = i >= seen.upTo.length && closed.has(s.track);
            return (
              <path key={i} d={s.d} stroke={dry ? "var(--ink-faint)" : "var(--ink)"} strokeWidth={dry ? 1 : 4.4} />
            );
          })}
          {[...seen.after, ...seen.upTo].map((s, i) => {
            if (parked.has(s.track)) return null;
            const upTo = i >= seen.after.length;
            if (!upTo && closed.has(s.track)) return null;
            if (upTo && states.get(s.track) === "printed") return null;
            if (upTo && inked.has(s.track) && ink.tap !== "clip") {
              const row = layout.rows.find((r) => r.track.id === s.track);
              if (!row || ink.before === null) return null;
              const d = `M${tapX(row, ink)} ${heights.middle(row.row)}H${COLUMN.tap}`;
              return <path key={i} d={d} stroke="var(--paper-lift)" strokeWidth="2.4" />;
            }
            return <path key={i} d={s.d} stroke="var(--paper-lift)" strokeWidth="2.4" />;
          })}
          {seen.upTo.map((s) =>
            states.get(s.track) === "frozen" || states.get(s.track) === "stale" ? (
              <path key={s.track} d={s.d} stroke="var(--ink)" strokeWidth="2.4" strokeDasharray="1.6 2.6" />
            ) : null,
          )}
        </g>
        {seen.spurs.map((s) => (
          <circle
            key={s.send}
            cx={s.dot.x}
            cy={s.dot.y}
            r="3"
            fill="var(--paper-lift)"
            stroke="var(--ink)"
            strokeWidth="1.2"
          />
        ))}
        <g fill="none" stroke="var(--ink)" strokeWidth="4.4" strokeLinejoin="round">
          {bakedStreams(session, layout, ink, heights).map((d) => (
            <path key={d} d={d} />
          ))}
        </g>
        {layout.rows.map((row) => {
          const { track } = row;
          if (!inked.has(track.id)) return null;
          const y = heights.middle(tapRow(session, track, ink.tap));
          const x = tapX(row, ink);
          return (
            <g key={track.id}>
              <path d={`M${x - 5} ${y - 17}h10l-5 7z`} fill="var(--signal)" />
              <path d={`M${x} ${y - 11}v26`} stroke="var(--signal)" strokeWidth="1.6" />
            </g>
          );
        })}
        <path
          d={`M${MAP_WIDTH - 13} ${heights.middle(layout.rows.findIndex((r) => r.track.kind === "mix")) - 6}l9 6l-9 6z`}
          fill="var(--ink)"
        />
      </svg>
      {layout.rows.slice(first, end).map((r) => (
        <PathControls
          key={r.track.id}
          {...r}
          rowHeight={rowHeight}
          session={session}
          state={states.get(r.track.id) ?? "live"}
          baked={inked.has(r.track.id) ? parted(r.track, ink).baked.length : 0}
        />
      ))}
      {layout.rows
        .slice(first, end)
        .map(
          (row) =>
            inked.has(row.track.id) && (
              <TapHandle
                key={row.track.id}
                row={row}
                ink={ink}
                top={heights.middle(tapRow(session, row.track, ink.tap)) - 20}
              />
            ),
        )}
    </div>
  );
}

interface RowProps extends PathRow {
  readonly session: Session;
  readonly rowHeight: number;
  readonly state: TrackState;
  /** So many of its devices are in the print. */
  readonly baked: number;
}

const PathControls = memo(function PathControls({
  row,
  track,
  beads,
  plus,
  session,
  rowHeight,
  state,
  baked,
}: RowProps) {
  const { edit, select, riding } = useSessionParts((s) => ({
    edit: s.edit,
    select: s.select,
    riding: s.riding !== null,
  }));
  const name = trackName(track);
  const ofFader = itemMenu(`Fader of ${name}`, () =>
    faderEntries(track, edit, () => {
      select([track.id]);
      useDrawer.getState().show("automation");
    }),
  );
  const playback = usePlaybackStore();
  const set = (label: string, patch: PatchOf<"tracks">) =>
    edit(`${label} of ${name}`, [{ do: "set", in: "tracks", id: track.id, patch }]);
  const tryOut = (patch: PatchOf<"tracks"> | null) =>
    playback.getState().tryOut(patch && [{ do: "set", in: "tracks", id: track.id, patch }]);
  const resting = state === "frozen" || state === "stale" || state === "parked";
  const look = (installed: boolean, on: boolean, inked: boolean) =>
    !installed
      ? "border-dotted border-caution text-caution bg-lift"
      : !on
        ? "border-rule text-faint bg-lift line-through"
        : inked
          ? "border-ink bg-ink text-paper"
          : resting
            ? "border-dashed border-ink-soft text-soft bg-lift"
            : "border-ink bg-lift text-ink";
  const top = row * rowHeight;
  // In a live pass the hand takes over from the automation.
  const ridden = !riding && track.automation.some((a) => a.target === "fader");
  return (
    <div
      className="absolute left-0 right-0"
      style={{
        top,
        height: rowHeight,
        ["--middle" as string]: `${rowHeight / 2 - 12}px`,
        ["--row" as string]: row % 2 === 0 ? "var(--paper-shade)" : "var(--paper)",
      }}
    >
      {beads.map((bead, i) => (
        <Bead
          key={bead.device.id}
          bead={bead}
          name={name}
          look={look(bead.installed, bead.device.on, i < baked)}
          panel={<DevicePanel track={track} device={bead.device} />}
          entries={(open) =>
            deviceEntries(track, bead.device, {
              edit,
              open,
              tapBefore: () => {
                select([track.id]);
                useSlip.getState().want({ tap: "devices", before: bead.device.id });
              },
            })
          }
          onCarry={(edge) => {
            const edits = moveDevice(
              track,
              bead.device.id,
              beads.filter((b, k) => k !== i && b.x + b.width / 2 < edge).length,
            );
            if (edits.length > 0) edit(`Move ${bead.label} on ${name}`, edits);
          }}
        />
      ))}
      <div
        className={`absolute top-[var(--middle)] ${state === "parked" ? "opacity-50" : ""}`}
        style={{ left: COLUMN.fader, width: COLUMN.faderEnd - COLUMN.fader }}
        {...ofFader}
      >
        <Fader
          name={name}
          db={track.faderDb}
          ridden={ridden}
          onMove={(faderDb) => tryOut(faderDb === null ? null : { faderDb })}
          onCommit={(faderDb) => set("Fader", { faderDb })}
        />
      </div>
      <div
        className={`absolute top-[var(--middle)] ${state === "parked" ? "opacity-50" : ""}`}
        style={{ left: COLUMN.pan }}
        {...ofFader}
      >
        <Pan
          name={name}
          pan={track.pan}
          onMove={(pan) => tryOut(pan === null ? null : { pan })}
          onCommit={(pan) => set("Pan", { pan })}
        />
      </div>
      <Valve track={track} name={name} onToggle={() => set(track.mute ? "Unmute" : "Mute", { mute: !track.mute })} />
      <AddDevice track={track} x={plus} />
      {track.kind !== "mix" && session.tracks.some((t) => t.kind === "return" && t.id !== track.id) && (
        <Sends track={track} session={session} />
      )}
      {track.kind !== "mix" && <OutputHandle track={track} row={row} rowHeight={rowHeight} session={session} />}
    </div>
  );
});

/** Mute as a valve: a handle along the stream when open, across it when closed. */
function Valve({
  track,
  name,
  onToggle,
}: {
  readonly track: Track;
  readonly name: string;
  readonly onToggle: () => void;
}) {
  return (
    <button
      type="button"
      aria-pressed={track.mute}
      aria-label={`Mute ${name}`}
      title={track.mute ? `${name} is muted. Unmute it` : `Mute ${name}`}
      onClick={onToggle}
      className="absolute top-[var(--middle)] grid size-6 place-items-center"
      style={{ left: COLUMN.valve - 4 }}
    >
      <svg viewBox="0 0 24 24" aria-hidden className="size-full">
        <circle
          cx="12"
          cy="12"
          r="6.4"
          fill={track.mute ? "var(--signal)" : "var(--paper-lift)"}
          stroke={track.mute ? "var(--signal)" : "var(--ink)"}
          strokeWidth="1.2"
        />
        {track.mute ? (
          <line x1="12" y1="7" x2="12" y2="17" stroke="var(--paper-lift)" strokeWidth="2.2" />
        ) : (
          <line x1="7" y1="12" x2="17" y2="12" stroke="var(--ink)" strokeWidth="1.8" />
        )}
      </svg>
    </button>
  );
}
