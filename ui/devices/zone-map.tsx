"use client";

import { useState } from "react";
import type { Instrument } from "../../core/instruments/instrument";
import type { Device } from "../../core/session/document";
import { toast } from "sonner";
import { useSession } from "../session/provider";
import { hearNote } from "./hear-note";
import { isBlack, keyName, keysShown, type TriedKey, zoneBoxes } from "./zone-picture";

/** How long a key that is tried is held. */
const HELD_S = 1;

/**
 * The zones of an instrument over keys and velocities, above keys to try them: how high a key is pressed is how hard it
 * is struck. What plays is filled.
 */
export function ZoneMap({ instrument, device }: { readonly instrument: Instrument; readonly device: Device }) {
  const session = useSession((s) => s.session);
  const [tried, setTried] = useState<TriedKey | null>(null);
  const names = new Map(session.assets.map((a) => [a.id, a.name]));
  const boxes = zoneBoxes(instrument, tried, (sample) => names.get(sample) ?? "a recording that is gone");
  const [low, high] = keysShown(instrument);
  const keys = Array.from({ length: high - low + 1 }, (_, i) => low + i);
  const press = (pitch: number, part: number) => {
    const velocity = Math.max(1, Math.min(127, Math.round(127 * part)));
    setTried({ pitch, velocity });
    hearNote(session, device, { pitch, velocity, heldS: HELD_S }).catch(
      (error: unknown) =>
        void toast.error(`It cannot be heard: ${error instanceof Error ? error.message : "no audio"}.`),
    );
  };
  return (
    <figure aria-label={`Zones of ${instrument.name}`} className="grid gap-0">
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
            aria-pressed={tried?.pitch === key}
            onPointerDown={(e) => {
              const { top, height } = e.currentTarget.getBoundingClientRect();
              press(key, 0.25 + (0.75 * (e.clientY - top)) / height);
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter") press(key, 0.8);
            }}
            className={`min-w-0 flex-1 border-r border-rule last:border-r-0 ${
              tried?.pitch === key
                ? "bg-signal"
                : isBlack(key)
                  ? "bg-strip hover:bg-spot"
                  : "bg-on-strip hover:bg-on-strip-soft"
            }`}
          />
        ))}
      </div>
      <figcaption className="mt-1 flex justify-between text-xs text-soft">
        <span className="figure">{keyName(low)}</span>
        <span>
          {tried
            ? `${keyName(tried.pitch)}, velocity ${tried.velocity}: ${boxes.filter((b) => b.isHeard).length} of ${boxes.length} zones`
            : "Press a key to hear it: lower down is louder."}
        </span>
        <span className="figure">{keyName(high)}</span>
      </figcaption>
    </figure>
  );
}
