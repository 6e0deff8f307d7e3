"use client";

import { useState, type ReactNode } from "react";
import { declarationOf } from "../../core/devices/catalogue";
import type { Session, Track } from "../../core/session/document";
import { ZoneMap } from "../devices/zone-map";
import { trackName } from "../session/track-state";
import { carriesPreset, droppedPreset, type DraggedPreset } from "./preset-drag";

/** Whether a track's instrument can be replaced. */
export const takesInstrument = ({ kind, frozen, parked }: Track): boolean =>
  kind === "instrument" && !frozen && !parked;

/** The session's instrument tracks, onto which presets are dropped, with the zones of those that play recordings. */
export function SessionTracks({
  session,
  onDrop,
}: {
  readonly session: Session;
  /** `track`: null for a new one. */
  readonly onDrop: (preset: DraggedPreset, track: string | null) => void;
}) {
  const tracks = session.tracks.filter((t) => t.kind === "instrument");
  return (
    <ul className="grid gap-1 pt-2">
      {tracks.map((track) => (
        <DropTarget
          key={track.id}
          label={trackName(track)}
          onDrop={takesInstrument(track) ? (preset) => onDrop(preset, track.id) : null}
        >
          <TrackOfInstrument track={track} session={session} />
        </DropTarget>
      ))}
      <DropTarget label="A new track" onDrop={(preset) => onDrop(preset, null)}>
        <p className="text-soft">Drag presets onto a track, or here for a new one.</p>
      </DropTarget>
    </ul>
  );
}

function DropTarget({
  label,
  onDrop,
  children,
}: {
  readonly label: string;
  /** Null: nothing can be dropped here. */
  readonly onDrop: ((preset: DraggedPreset) => void) | null;
  readonly children: ReactNode;
}) {
  const [isOver, setOver] = useState(false);
  return (
    <li
      aria-label={label}
      className={`grid gap-1.5 border px-2 py-1.5 ${isOver ? "border-signal bg-spot-wash" : "border-transparent"}`}
      onDragOver={(e) => {
        if (!onDrop || !carriesPreset(e)) return;
        e.preventDefault();
        e.stopPropagation();
        setOver(true);
      }}
      onDragLeave={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(e) => {
        const preset = droppedPreset(e);
        setOver(false);
        if (!onDrop || !preset) return;
        e.preventDefault();
        e.stopPropagation();
        onDrop(preset);
      }}
    >
      {children}
    </li>
  );
}

/** Programs are counted from 1 for people, as General MIDI 1 does. */
const programText = ({ bank, program }: { readonly bank: number; readonly program: number }): string =>
  bank === 128 ? "drums" : `program ${program + 1}${bank === 0 ? "" : ` of bank ${bank}`}`;

function TrackOfInstrument({ track, session }: { readonly track: Track; readonly session: Session }) {
  const [device] = track.devices;
  const instrument = session.instruments.find((i) => i.id === device?.instrument);
  const zones = instrument?.zones.length ?? 0;
  const plays = instrument
    ? `${instrument.name}, ${zones} ${zones === 1 ? "zone" : "zones"}`
    : ((device && declarationOf(device.type)?.name) ?? "no instrument");
  const why = track.frozen ? "frozen, " : track.parked ? "parked, " : "";
  return (
    <>
      <p className="flex items-baseline justify-between gap-3">
        <b className="truncate">{trackName(track)}</b>
        <span className="truncate text-xs text-soft">
          {why}
          {plays}
        </span>
      </p>
      {track.program && !instrument && (
        <p className="text-xs text-soft">
          {track.program.device ? (
            <>
              Stands in for <b>{track.program.device}</b>, which is not here.
            </>
          ) : (
            `Its MIDI file asks for ${programText(track.program)}.`
          )}
        </p>
      )}
      {instrument && device && <ZoneMap track={track} instrument={instrument} device={device} />}
    </>
  );
}
