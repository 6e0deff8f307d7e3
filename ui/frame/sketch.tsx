"use client";

import { useEffect, useState } from "react";
import type { SessionSummary } from "../../contract/session";
import type { Sketch } from "../../core/session/sketch";
import { api } from "../session/api";

/** Sketches by session and revision: of an unchanged session the picture stays. */
const known = new Map<string, Sketch>();
const keyOf = ({ id, revision }: SessionSummary): string => `${id} ${revision}`;
/** More sessions than fill the page are sketched when they are scrolled to. */
export const SKETCHED_AT_ONCE = 40;

/** Sketches of sessions, one after the other as they come; a session without one is listed all the same. */
export function useSketches(sessions: readonly SessionSummary[]): ReadonlyMap<string, Sketch> {
  const [, drawn] = useState(0);
  const wanted = sessions.slice(0, SKETCHED_AT_ONCE);
  const key = wanted.map(keyOf).join();
  useEffect(() => {
    let isLeft = false;
    void (async () => {
      for (const s of wanted) {
        if (isLeft) return;
        if (known.has(keyOf(s))) continue;
        const sketch = await api.sketch(s.id).catch(() => null);
        if (sketch) known.set(keyOf(s), sketch);
        drawn((n) => n + 1);
      }
    })();
    return () => {
      isLeft = true;
    };
    // The key says all there is to know of the list.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return new Map(
    sessions.flatMap((s) => {
      const sketch = known.get(keyOf(s));
      return sketch ? [[s.id, sketch] as const] : [];
    }),
  );
}

const [WIDTH, HEIGHT] = [1000, 160];

/** The lanes of a session, small: notes are outlined, sound is ink. */
export function SketchPicture({ sketch }: { readonly sketch: Sketch | undefined }) {
  const rows = sketch?.rows ?? [];
  const step = HEIGHT / Math.max(4, rows.length);
  return (
    <svg
      aria-hidden
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      className="h-10 w-32 shrink-0 border border-rule bg-lift"
    >
      {rows.map(({ kind, spans }, row) =>
        spans.map(([from, to]) => (
          <rect
            key={`${row} ${from}`}
            x={from}
            y={row * step + step * 0.15}
            width={Math.max(5, to - from)}
            height={step * 0.7}
            className={kind === "notes" ? "fill-ink/35" : "fill-ink/80"}
          />
        )),
      )}
    </svg>
  );
}

/** `2:14 · 97.5 bpm · 4/4`. */
export function sayLength({ frames, rate, bpm, tempoMoves, meter }: Sketch): string {
  if (frames === 0) return `empty · ${Number(bpm.toFixed(2))} bpm · ${meter}`;
  const seconds = Math.round(frames / rate);
  const clock = `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
  return `${clock} · ${Number(bpm.toFixed(2))} bpm${tempoMoves ? ", moves" : ""} · ${meter}`;
}
