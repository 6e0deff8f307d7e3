"use client";

import { Slider, Switch } from "radix-ui";
import { ArrowLeft, ArrowRight, Trash2 } from "lucide-react";
import { useState, type ReactNode } from "react";
import { declarationOf } from "../../core/devices/catalogue";
import type { PatchOf } from "../../core/session/records";
import type { ParamDeclaration } from "../../core/devices/device";
import { completeParams } from "../../core/devices/device";
import { exp, log } from "../../core/math";
import type { Device, Session, Track } from "../../core/session/document";
import { moveDevice, removeDevice } from "../../core/session/track-edits";
import { formatDb, formatNumber, roundDb } from "../../core/words/numbers";
import { usePlaybackStore } from "../playback/provider";
import { Choice } from "../parts/choice";
import { Portrait } from "./portrait";
import { ZoneMap } from "./zone-map";
import { useSession, useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";

const STEPS = 1000;

/** Position 0 to 1 of a value along its control, and back. */
const positionOf = (p: ParamDeclaration, value: number): number =>
  p.taper === "log" ? log(value / p.min) / log(p.max / p.min) : (value - p.min) / (p.max - p.min);
function valueAt(p: ParamDeclaration, position: number): number {
  if (p.taper === "switch" || p.taper === "steps") return Math.round(p.min + position * (p.max - p.min));
  const value = p.taper === "log" ? p.min * exp(position * log(p.max / p.min)) : p.min + position * (p.max - p.min);
  if (p.unit === "dB") return Math.max(p.min, Math.min(p.max, roundDb(value)));
  const size = Math.abs(value);
  const digits = size >= 100 ? 1 : size >= 10 ? 10 : 100;
  return Math.max(p.min, Math.min(p.max, Math.round(value * digits) / digits));
}

function shown(p: ParamDeclaration, value: number): string {
  if (p.taper === "switch") return value >= 0.5 ? "on" : "off";
  if (p.unit === "Hz" && value >= 1000) return `${formatNumber(value / 1000, 2)} kHz`;
  if (p.unit === "dB") return `${formatDb(value)} dB`;
  const digits = p.taper === "steps" || Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 10 ? 1 : 2;
  return `${formatNumber(value, digits)}${p.unit === "" ? "" : p.unit === ":1" ? " : 1" : ` ${p.unit}`}`;
}

/** A track's device, with its place in the chain. A change is one edit, made when the control is let go. */
export function DevicePanel({ track, device }: { readonly track: Track; readonly device: Device }) {
  const edit = useSession((s) => s.edit);
  const playback = usePlaybackStore();
  const name = declarationOf(device.type)?.name ?? device.type;
  return (
    <DeviceControls
      device={device}
      plays={track.frozen || track.parked || !device.on ? null : device.id}
      absent={
        track.kind === "instrument" && track.devices[0] === device
          ? "The track is silent without it."
          : "Sound passes it unchanged."
      }
      onMove={(patch) =>
        playback.getState().tryOut(patch && [{ do: "set", in: "devices", track: track.id, id: device.id, patch }])
      }
      onSet={(label, patch) =>
        edit(`${label} of ${name} on ${trackName(track)}`, [
          { do: "set", in: "devices", track: track.id, id: device.id, patch },
        ])
      }
    >
      <Chain track={track} device={device} name={name} />
      {track.devices[0] === device && track.program?.device && (
        <p className="mt-2 text-xs text-soft">
          It stands in for <b>{track.program.device}</b>, which is not here.
        </p>
      )}
      {track.frozen && (
        <p className="mt-2 border-l-2 border-caution-rule pl-2 text-xs text-caution">
          The track is frozen: a change is heard only after freezing again.
        </p>
      )}
    </DeviceControls>
  );
}

interface ControlsProps {
  readonly device: Device;
  /** Its id where it stands in a path that sounds, so that it can be watched at work. */
  readonly plays?: string | null;
  /** What its absence means, where it is not installed. */
  readonly absent: string;
  /** While a hand moves; null: it has let go without a change. */
  readonly onMove: (patch: PatchOf<"devices"> | null) => void;
  readonly onSet: (label: string, patch: PatchOf<"devices">) => void;
  readonly children?: ReactNode;
}

/** A device's switch, its picture and its parameters, wherever it stands. */
export function DeviceControls({ device, plays = null, absent, onMove, onSet, children }: ControlsProps) {
  const session = useSession((s) => s.session);
  const declaration = declarationOf(device.type);
  if (!declaration) {
    return (
      <div>
        <h3 className="text-base font-semibold">{device.type}</h3>
        {children}
        <p className="mt-1 text-soft">
          This device is not installed here. {absent} Its settings are kept with the session.
        </p>
      </div>
    );
  }
  const values = completeParams(declaration, device.params);
  return (
    <div>
      <div className="flex items-start justify-between gap-3">
        <div>
          <h3 className="text-base leading-tight font-semibold">{declaration.name}</h3>
          <p className="text-xs text-soft">{declaration.about}</p>
        </div>
        <label className="flex items-center gap-2 text-xs text-soft">
          {device.on ? "in the path" : "passed by"}
          <Switch.Root
            checked={device.on}
            onCheckedChange={(on) => onSet(on ? "Switch on" : "Switch off", { on })}
            aria-label={`${declaration.name} in the path`}
            className="relative h-[18px] w-8 rounded-full border border-ink bg-paper data-[state=checked]:bg-ink"
          >
            <Switch.Thumb className="block h-3 w-3 translate-x-[3px] rounded-full bg-ink transition-transform data-[state=checked]:translate-x-[15px] data-[state=checked]:bg-paper" />
          </Switch.Root>
        </label>
      </div>
      {children}
      <Portrait device={device} session={session} plays={plays} />
      <PlayedInstrument device={device} session={session} />
      <div className="mt-3 grid gap-x-5 gap-y-2 sm:grid-cols-2">
        {declaration.params.map((p) => (
          <Param
            key={p.id}
            declaration={p}
            value={values[p.id] ?? p.default}
            onMove={(value) => onMove(value === null ? null : { params: { [p.id]: value } })}
            onCommit={(value) => onSet(p.name, { params: { [p.id]: value } })}
          />
        ))}
      </div>
    </div>
  );
}

/** What a sampled instrument plays: its zones, and keys to try them. */
function PlayedInstrument({ device, session }: { readonly device: Device; readonly session: Session }) {
  const instrument = session.instruments.find((i) => i.id === device.instrument);
  const track = session.tracks.find((t) => t.devices.some((d) => d.id === device.id));
  if (!track || !declarationOf(device.type)?.playsInstrument) return null;
  if (!instrument) return <p className="mt-2 text-soft">No instrument is on it. Choose one on Instruments.</p>;
  return (
    <div className="mt-2">
      <p className="mb-1 text-xs text-soft">{instrument.name}</p>
      <ZoneMap track={track} instrument={instrument} device={device} />
    </div>
  );
}

/** Where the device stands in the chain, its key where it takes one, and its way out. */
function Chain({ track, device, name }: { readonly track: Track; readonly device: Device; readonly name: string }) {
  const { session, edit } = useSessionParts((s) => ({ session: s.session, edit: s.edit }));
  const declaration = declarationOf(device.type);
  const at = track.devices.findIndex((d) => d.id === device.id);
  const instrument = declaration?.role === "instrument" || (track.kind === "instrument" && at === 0);
  if (at < 0 || instrument) return null;
  const first = track.kind === "instrument" ? 1 : 0;
  const on = trackName(track);
  const small =
    "grid size-6 place-items-center rounded-sm border border-rule text-soft hover:border-ink hover:text-ink disabled:opacity-40";
  const keys = session.tracks.filter((t) => t.kind !== "mix" && t.id !== track.id);
  const setKey = (key: string | null) => {
    edit(`Key of ${name} on ${on}`, [{ do: "set", in: "devices", track: track.id, id: device.id, patch: { key } }]);
  };
  return (
    <div className="mt-2 flex items-center gap-1.5 text-xs text-soft">
      {declaration?.takesKey && (
        <>
          steered by
          <Choice
            label={`Key of ${name}`}
            value={device.key ?? "itself"}
            className="max-w-32 text-xs"
            options={[
              { value: "itself", label: "its own signal" },
              ...keys.map((t) => ({ value: t.id, label: trackName(t) })),
            ]}
            onChange={(v) => setKey(v === "itself" ? null : v)}
          />
        </>
      )}
      <span className="flex-1" />
      <button
        type="button"
        className={small}
        disabled={at <= first}
        aria-label={`Move ${name} towards the start`}
        title="Towards the start"
        onClick={() => edit(`Move ${name} on ${on}`, moveDevice(track, device.id, at - 1))}
      >
        <ArrowLeft size={13} aria-hidden />
      </button>
      <button
        type="button"
        className={small}
        disabled={at >= track.devices.length - 1}
        aria-label={`Move ${name} towards the end`}
        title="Towards the end"
        onClick={() => edit(`Move ${name} on ${on}`, moveDevice(track, device.id, at + 1))}
      >
        <ArrowRight size={13} aria-hidden />
      </button>
      <button
        type="button"
        className={small}
        aria-label={`Remove ${name}`}
        title="Remove"
        onClick={() => edit(`Remove ${name} from ${on}`, removeDevice(track, device.id))}
      >
        <Trash2 size={13} aria-hidden />
      </button>
    </div>
  );
}

function Param({
  declaration: p,
  value,
  onMove,
  onCommit,
}: {
  readonly declaration: ParamDeclaration;
  readonly value: number;
  readonly onMove: (value: number | null) => void;
  readonly onCommit: (value: number | null) => void;
}) {
  const [moving, setMoving] = useState<number | null>(null);
  const now = moving ?? value;
  if (p.taper === "switch") {
    return (
      <label className="flex min-h-6 items-center justify-between gap-2 text-xs">
        {p.name}
        <input
          type="checkbox"
          className="size-4 accent-[var(--spot)]"
          checked={value >= 0.5}
          onChange={(e) => onCommit(e.target.checked ? 1 : 0)}
        />
      </label>
    );
  }
  const changed = value !== p.default;
  return (
    <div>
      <div className="flex items-baseline justify-between text-xs">
        <button
          type="button"
          disabled={!changed}
          onClick={() => onCommit(null)}
          title={changed ? `Back to ${shown(p, p.default)}` : undefined}
          className={changed ? "underline decoration-dotted underline-offset-2" : "cursor-default"}
        >
          {p.name}
        </button>
        <span className="figure">{shown(p, now)}</span>
      </div>
      <Slider.Root
        min={0}
        max={STEPS}
        step={p.taper === "steps" ? STEPS / (p.max - p.min) : 1}
        value={[Math.round(positionOf(p, now) * STEPS)]}
        onValueChange={([v = 0]) => {
          const to = valueAt(p, v / STEPS);
          setMoving(to);
          onMove(to);
        }}
        onValueCommit={([v = 0]) => {
          setMoving(null);
          const next = valueAt(p, v / STEPS);
          if (next !== value) onCommit(next);
          else onMove(null);
        }}
        className="relative flex h-6 touch-none items-center select-none"
      >
        <Slider.Track className="relative h-[3px] grow bg-rule">
          <Slider.Range className="absolute h-full bg-ink" />
        </Slider.Track>
        <Slider.Thumb
          aria-label={p.name}
          aria-valuetext={shown(p, now)}
          className="block h-4 w-2 rounded-[1px] border border-ink bg-lift hover:bg-spot-wash"
        />
      </Slider.Root>
    </div>
  );
}
