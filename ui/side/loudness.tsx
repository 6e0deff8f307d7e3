"use client";

import { useEffect, useRef } from "react";
import { formatNumber } from "../../core/words/numbers";
import { prepare, useInks } from "../canvas/canvas";
import { setText } from "../parts/set-text";
import { Choice } from "../parts/choice";
import type { LoudnessNow } from "../playback/loudness-log";
import { useEveryPicture, usePlayback, usePlaybackStore } from "../playback/provider";
import { clockOf } from "../session/clock";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { useBenchView } from "../timeline/view";

const ROWS: readonly {
  readonly key: keyof LoudnessNow;
  readonly name: string;
  readonly unit: string;
  readonly about: string;
}[] = [
  { key: "momentary", name: "Momentary", unit: "LUFS", about: "over 0.4 s" },
  { key: "shortTerm", name: "Short-term", unit: "LUFS", about: "over 3 s" },
  { key: "integrated", name: "Integrated", unit: "LUFS", about: "since play" },
  { key: "range", name: "Range", unit: "LU", about: "since play" },
  { key: "truePeakDb", name: "True peak", unit: "dBTP", about: "since play" },
];

/** How loud the mix or a group is, while it plays; ITU-R BS.1770-4 and EBU Tech 3342. */
export function Loudness() {
  const { session } = useSessionParts((s) => ({ session: s.session }));
  const playback = usePlaybackStore();
  const { metered } = usePlayback((p) => ({ metered: p.metered }));
  const sums = session.tracks.filter((t) => t.kind === "mix" || t.kind === "group");
  const mix = session.tracks.find((t) => t.kind === "mix")?.id ?? null;
  const chosen = sums.some((t) => t.id === metered) ? metered : mix;
  useEffect(() => playback.getState().measure(chosen), [playback, chosen]);
  // It is not shown: nothing is measured.
  useEffect(() => () => playback.getState().measure(null), [playback]);
  const cells = useRef(new Map<string, HTMLSpanElement>());
  useEveryPicture(({ log }) => {
    const now = log.now();
    for (const { key } of ROWS) {
      const value = now[key];
      setText(cells.current.get(key) ?? null, value === null ? "–" : formatNumber(value, 1));
    }
  }, chosen);
  return (
    <div className="min-h-0 overflow-y-auto px-4 pt-3 pb-6">
      <p className="flex items-center gap-2">
        <span className="text-soft">of</span>
        <Choice
          label="Whose loudness"
          value={chosen ?? ""}
          options={sums.toReversed().map((t) => ({ value: t.id, label: trackName(t) }))}
          onChange={(id) => playback.getState().measure(id)}
        />
      </p>
      <dl className="mt-3 border-t border-rule">
        {ROWS.map(({ key, name, unit, about }) => (
          <div key={key} className="flex items-baseline border-b border-rule py-1">
            <dt className="flex-1">
              {name} <span className="text-xs text-soft">{about}</span>
            </dt>
            <dd className="figure">
              <span
                ref={(cell) => {
                  if (cell) cells.current.set(key, cell);
                }}
                data-loudness={key}
                className="text-xl font-semibold"
              >
                –
              </span>{" "}
              <span className="inline-block w-10 text-xs text-soft">{unit}</span>
            </dd>
          </div>
        ))}
      </dl>
      <h3 className="eyebrow mt-4">Short-term, over the timeline</h3>
      <Chart />
      <p className="mt-2 text-xs text-soft">
        Play to measure. Each play begins anew; what was played is drawn where it stands.
      </p>
    </div>
  );
}

const [WIDTH, HEIGHT] = [340, 150];
/** Below the picture stand the bars. */
const BARS_PX = 13;
const LEAST_BAR_PX = 34;
const [TOP_LUFS, BOTTOM_LUFS] = [0, -48];
const LINES = [-9, -14, -23, -36];
const yOf = (lufs: number): number =>
  (HEIGHT * (TOP_LUFS - Math.max(BOTTOM_LUFS, Math.min(TOP_LUFS, lufs)))) / (TOP_LUFS - BOTTOM_LUFS);

function Chart() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { session } = useSessionParts((s) => ({ session: s.session }));
  const theme = useBenchView((v) => v.theme);
  const inksOf = useInks(theme);
  useEveryPicture((playback) => {
    const c = canvas.current && prepare(canvas.current, WIDTH, HEIGHT + BARS_PX);
    if (!c) return;
    const inks = inksOf(c);
    const clock = clockOf(session);
    const end = Math.max(clock.end, session.rate);
    const xOf = (frame: number) => (WIDTH * frame) / end;
    c.clearRect(0, 0, WIDTH, HEIGHT + BARS_PX);
    c.font = inks.mono;
    c.strokeStyle = inks.rule;
    c.fillStyle = inks.soft;
    c.lineWidth = 1;
    for (const lufs of LINES) {
      const y = Math.round(yOf(lufs)) + 0.5;
      c.beginPath();
      c.moveTo(0, y);
      c.lineTo(WIDTH, y);
      c.stroke();
      c.fillText(String(lufs).replace("-", "−"), WIDTH - 24, y - 3);
    }
    const bars = clock.meter.position(clock.tempo.toTicks(end)).bar;
    const step = [1, 2, 4, 8, 16, 32, 64, 128].find((n) => (n * WIDTH) / bars >= LEAST_BAR_PX) ?? 256;
    for (let bar = 1; bar <= bars; bar += step) {
      const x = Math.round(xOf(clock.tempo.toFrames(clock.meter.barToTick(bar))));
      c.fillStyle = inks.rule;
      c.fillRect(x, 0, 1, HEIGHT);
      c.fillStyle = inks.soft;
      c.fillText(String(bar), x + 3, HEIGHT + BARS_PX - 3);
    }
    c.fillStyle = inks.ink;
    const { places } = playback.log;
    places.forEach((lufs, i) => {
      const x = xOf((i * session.rate) / 10);
      const y = yOf(lufs);
      c.fillRect(x, y, Math.max(1, WIDTH / ((10 * end) / session.rate)), HEIGHT - y);
    });
    c.fillStyle = inks.spot;
    c.fillRect(Math.round(xOf(playback.position())), 0, 1, HEIGHT);
  }, theme);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label="Short-term loudness over the timeline, as far as it was played"
      style={{ width: WIDTH, height: HEIGHT + BARS_PX }}
      className="mt-1 border border-rule bg-paper"
    />
  );
}
