"use client";

import { type KeyboardEvent, useState } from "react";
import type { Instrument } from "../../core/instruments/instrument";
import type { Device, Track } from "../../core/session/document";
import { toast } from "sonner";
import { useSession } from "../session/provider";
import { hearNote } from "./hear-note";
import { useSounding } from "./sounding";
import { isBlack, keyName, keysShown, noteOfKey, type TriedKey, zoneBoxes } from "./zone-picture";

/** How hard the computer's keys strike, of 1. */
const TYPED = 0.8;
/** How long a key that is tried is held. */
const HELD_S = 1;

/**
 * The zones of an instrument over keys and velocities, above keys to try them: how high a key is pressed is how hard it
 * is struck. With the focus on it, the computer's digits play the scale from a C on. What plays, tried or
 * in the session, is filled.
 */
export function ZoneMap({
  track,
  instrument,
  device,
}: {
  readonly track: Track;
  readonly instrument: Instrument;
  readonly device: Device;
}) {
  const session = useSession((s) => s.session);
  const [tried, setTried] = useState<TriedKey | null>(null);
  const names = new Map(session.assets.map((a) => [a.id, a.name]));
  const sounding = useSounding(track);
  const heard = sounding.length > 0 ? sounding : tried ? [tried] : [];
  const isHeard = (pitch: number) => heard.some((key) => key.pitch === pitch);
  const boxes = zoneBoxes(instrument, heard, (sample) => names.get(sample) ?? "a recording that is gone");
  const [low, high] = keysShown(instrument);
  const keys = Array.from({ length: high - low + 1 }, (_, i) => low + i);
  const [octave, setOctave] = useState<number | null>(null);
  /** The C from which the computer's digits play. */
  const from = octave ?? 12 * Math.round((low + high) / 24);
  const press = (pitch: number, part: number) => {
    const velocity = Math.max(1, Math.min(127, Math.round(127 * part)));
    setTried({ pitch, velocity });
    hearNote(session, device, { pitch, velocity, heldS: HELD_S }).catch(
      (error: unknown) =>
        void toast.error(`It cannot be heard: ${error instanceof Error ? error.message : "no audio"}.`),
    );
  };
  const typed = (e: KeyboardEvent) => {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    const step = { ArrowUp: 12, ArrowDown: -12 }[e.key];
    const pitch = noteOfKey(e.code, e.shiftKey, from);
    if (step === undefined && pitch === null) return;
    e.preventDefault();
    if (step !== undefined) setOctave(Math.max(0, Math.min(108, from + step)));
    else if (pitch !== null && !e.repeat) press(pitch, TYPED);
  };
  return (
    <figure
      aria-label={`Zones of ${instrument.name}`}
      className="group grid gap-0 outline-none"
      tabIndex={0}
      onKeyDown={typed}
    >
      <svg
        viewBox="0 0 100 40"
        preserveAspectRatio="none"
        className="h-24 w-full border border-rule bg-paper"
        role="img"
        aria-label={`${boxes.length} zones over keys ${keyName(low)} to ${keyName(high)}`}
      >
        {boxes.map((box, i) => (
          <rect
            key={i}
            x={100 * box.left}
            y={40 * box.top}
            width={100 * box.width}
            height={40 * box.height}
            fill={box.isHeard ? "var(--signal)" : "var(--spot)"}
            fillOpacity={box.isHeard ? 0.55 : box.depth > 0 ? 0.06 : 0.16}
            stroke={box.isHeard ? "var(--signal)" : "var(--spot)"}
            strokeWidth={1}
            vectorEffect="non-scaling-stroke"
          >
            <title>{box.title}</title>
          </rect>
        ))}
      </svg>
      <div role="group" aria-label={`Keys of ${instrument.name}`} className="flex h-14 border-x border-b border-ink">
        {keys.map((key) => (
          <button
            key={key}
            type="button"
            aria-label={keyName(key)}
            title={key % 12 === 0 ? keyName(key) : undefined}
            aria-pressed={isHeard(key)}
            onPointerDown={(e) => {
              const { top, height } = e.currentTarget.getBoundingClientRect();
              press(key, 0.25 + (0.75 * (e.clientY - top)) / height);
            }}
            tabIndex={-1}
            onClick={(e) => {
              // Not by a pointer, which is heard when it goes down.
              if (e.detail === 0) press(key, TYPED);
            }}
            className={`relative min-w-0 flex-1 border-r border-rule last:border-r-0 ${
              isHeard(key)
                ? "bg-signal"
                : isBlack(key)
                  ? "bg-strip hover:bg-spot"
                  : "bg-on-strip hover:bg-on-strip-soft"
            }`}
          >
            {key === from && (
              <span
                aria-hidden
                className="absolute bottom-0 left-0 hidden h-1.5 w-full bg-spot group-focus-within:block"
              />
            )}
          </button>
        ))}
      </div>
      <figcaption className="mt-1 flex justify-between text-xs text-soft">
        <span className="figure">{keyName(low)}</span>
        <span>
          {sounding.length > 0
            ? `${sounding.map((n) => keyName(n.pitch)).join(" ")}: ${boxes.filter((b) => b.isHeard).length} of ${boxes.length} zones`
            : tried
              ? `${keyName(tried.pitch)}, velocity ${tried.velocity}: ${boxes.filter((b) => b.isHeard).length} of ${boxes.length} zones`
              : "Press a key, or type 1 to 8: ⇧ sharpens, ↑↓ octave"}
        </span>
        <span className="figure">{keyName(high)}</span>
      </figcaption>
    </figure>
  );
}
