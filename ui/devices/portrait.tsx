"use client";

import { useEffect, useMemo, useRef } from "react";
import type { Portrait as Measured } from "../../core/devices/portrait";
import { hasPortrait, portraitOf } from "../../core/devices/portrait";
import { declarationOf } from "../../core/devices/catalogue";
import type { Device, Session } from "../../core/session/document";
import { formatNumber } from "../../core/words/numbers";
import { setText } from "../parts/set-text";
import { useEveryPicture, usePlaybackStore } from "../playback/provider";

const WIDTH = 352;
const HEIGHT = 104;
const PAD = { left: 26, right: 6, top: 6, bottom: 15 };

interface Axis {
  readonly low: number;
  readonly high: number;
  readonly log?: boolean;
  readonly marks: readonly (readonly [value: number, label: string])[];
}

/** A picture of what a device does, measured on the device as it is set. */
export function Portrait({
  device,
  session,
  plays,
}: {
  readonly device: Device;
  readonly session: Session;
  readonly plays: string | null;
}) {
  const portrait = useMemo(
    () => (hasPortrait(device.type) ? portraitOf(device.type, device.params, session.rate, session.tempo) : null),
    [device.type, device.params, session.rate, session.tempo],
  );
  if (!portrait) return null;
  const { x, y, points, says } = pictureOf(portrait);
  const along = (axis: Axis, value: number) =>
    axis.log
      ? Math.log(value / axis.low) / Math.log(axis.high / axis.low)
      : (value - axis.low) / (axis.high - axis.low);
  const px = (value: number) => PAD.left + along(x, value) * (WIDTH - PAD.left - PAD.right);
  const py = (value: number) =>
    PAD.top + (1 - Math.max(0, Math.min(1, along(y, value)))) * (HEIGHT - PAD.top - PAD.bottom);
  const line = points.map(([a, b], i) => `${i === 0 ? "M" : "L"}${px(a).toFixed(1)} ${py(b).toFixed(1)}`).join("");
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label={says} className="mt-3 block border border-rule bg-paper">
      {x.marks.map(([value, label]) => (
        <g key={label}>
          <line x1={px(value)} x2={px(value)} y1={PAD.top} y2={HEIGHT - PAD.bottom} stroke="var(--rule)" />
          <text x={px(value)} y={HEIGHT - 4} textAnchor="middle" className="figure" fontSize="9" fill="var(--ink-soft)">
            {label}
          </text>
        </g>
      ))}
      {y.marks.map(([value, label]) => (
        <g key={label}>
          <line
            x1={PAD.left}
            x2={WIDTH - PAD.right}
            y1={py(value)}
            y2={py(value)}
            stroke="var(--rule)"
            strokeDasharray={value === 0 ? undefined : "2 3"}
          />
          <text
            x={PAD.left - 4}
            y={py(value) + 3}
            textAnchor="end"
            className="figure"
            fontSize="9"
            fill="var(--ink-soft)"
          >
            {label}
          </text>
        </g>
      ))}
      {portrait.kind === "transfer" && (
        <path d={`M${px(-66)} ${py(-66)}L${px(0)} ${py(0)}`} stroke="var(--ink-faint)" strokeDasharray="3 3" />
      )}
      {plays !== null && declarationOf(device.type)?.dynamics && <HeldBack device={plays} />}
      <path
        d={line}
        fill="none"
        stroke={device.on ? "var(--ink)" : "var(--ink-faint)"}
        strokeWidth="1.8"
        strokeLinejoin="round"
      />
    </svg>
  );
}

/** How quickly the bar comes back, so that an eye can follow it. */
const BACK_DB_PER_S = 24;
const LONGEST_STEP_S = 0.1;

/** What fills the bar's height: two decibels can be seen in it. */
const DEEPEST_DB = 24;

/**
 * While it plays: how far the device holds the signal back, as a bar that hangs from the top, on a scale of its own,
 * and in figures.
 */
function HeldBack({ device }: { readonly device: string }) {
  const bar = useRef<SVGRectElement>(null);
  const text = useRef<SVGTextElement>(null);
  const last = useRef({ db: 0, at: 0 });
  const store = usePlaybackStore();
  useEffect(() => {
    store.getState().watch(device);
    return () => store.getState().watch(null);
  }, [store, device]);
  useEveryPicture((playback) => {
    const now = performance.now();
    const fallen = Math.min(
      0,
      last.current.db + BACK_DB_PER_S * Math.min(LONGEST_STEP_S, (now - last.current.at) / 1000),
    );
    const db = Math.min(playback.heldBackDb(), fallen);
    last.current = { db, at: now };
    bar.current?.setAttribute(
      "height",
      String((Math.min(DEEPEST_DB, -db) / DEEPEST_DB) * (HEIGHT - PAD.top - PAD.bottom)),
    );
    const isHeldBack = playback.state === "playing" || db < -0.05;
    setText(text.current, isHeldBack ? `reduced by ${formatNumber(-db, 1)} dB` : "");
  }, device);
  return (
    <g>
      <rect ref={bar} x={WIDTH - PAD.right - 8} y={PAD.top} width={8} height={0} fill="var(--spot)" />
      <text
        ref={text}
        role="status"
        aria-live="off"
        aria-label="Gain reduction"
        x={WIDTH - PAD.right - 13}
        y={PAD.top + 8}
        textAnchor="end"
        className="figure"
        fontSize="10"
        fill="var(--ink)"
      />
    </g>
  );
}

const minus = (value: number) => formatNumber(value, 0);

function pictureOf(portrait: Measured): {
  readonly x: Axis;
  readonly y: Axis;
  readonly points: readonly (readonly [number, number])[];
  readonly says: string;
} {
  switch (portrait.kind) {
    case "response": {
      const points = Array.from(portrait.hz, (hz, i) => [hz, portrait.db[i] ?? 0] as const);
      const strongest = points.reduce((best, p) => (Math.abs(p[1]) > Math.abs(best[1]) && p[1] > -30 ? p : best), [
        0, 0,
      ] as readonly [number, number]);
      return {
        points,
        x: {
          low: 20,
          high: 20_000,
          log: true,
          marks: [
            [50, "50"],
            [200, "200"],
            [1000, "1k"],
            [5000, "5k"],
            [15_000, "15k"],
          ],
        },
        y: {
          low: -24,
          high: 24,
          marks: [
            [-18, minus(-18)],
            [0, "0 dB"],
            [18, "18"],
          ],
        },
        says: `Gain by frequency; the most is ${minus(strongest[1])} dB at ${Math.round(strongest[0])} Hz`,
      };
    }
    case "transfer": {
      const points = Array.from(portrait.inDb, (level, i) => [level, portrait.outDb[i] ?? 0] as const);
      const top = points.at(-1)?.[1] ?? 0;
      return {
        points,
        x: {
          low: -66,
          high: 0,
          marks: [
            [-48, minus(-48)],
            [-24, minus(-24)],
            [-6, minus(-6)],
          ],
        },
        y: {
          low: -66,
          high: 12,
          marks: [
            [-48, minus(-48)],
            [-24, minus(-24)],
            [0, "0 dB"],
          ],
        },
        says: `Level out by level in; full scale comes out at ${formatNumber(top, 1)} dBFS`,
      };
    }
    case "decay": {
      const points = Array.from(portrait.db, (db, i) => [(i + 0.5) * portrait.stepS, db] as const);
      const seconds = portrait.db.length * portrait.stepS;
      const loudest = Math.max(...portrait.db);
      const gone = points.findLast(([, db]) => db > loudest - 60)?.[0] ?? 0;
      const mark = seconds > 3 ? 1 : seconds > 1 ? 0.5 : 0.1;
      return {
        points,
        x: {
          low: 0,
          high: seconds,
          marks: Array.from(
            { length: Math.floor(seconds / mark) },
            (_, i) => [(i + 1) * mark, `${formatNumber((i + 1) * mark, mark < 1 ? 1 : 0)} s`] as const,
          ).filter((_, i, all) => all.length < 9 || i % 2 === 1),
        },
        y: {
          low: loudest - 72,
          high: loudest + 4,
          marks: [
            [loudest - 60, minus(-60)],
            [loudest - 30, minus(-30)],
            [loudest, "0 dB"],
          ],
        },
        says: `What an impulse leaves: 60 dB down after ${formatNumber(gone, 2)} seconds`,
      };
    }
  }
}
