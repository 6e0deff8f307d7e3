"use client";

import { useRef } from "react";
import { formatNumber } from "../../core/words/numbers";
import { prepare, useInks } from "../canvas/canvas";
import { useEveryPicture, usePlayback } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { trackName } from "../session/track-state";
import { useRows } from "../timeline/shown";
import { shownView, useBenchView, xOf } from "../timeline/view";

/** A row shows short-term loudness from the bottom to the top (LUFS). */
const [BOTTOM_LUFS, TOP_LUFS] = [-48, 0];
const PAD = 3;
/** The log holds one value a tenth of a second. */
const A_SECOND = 10;

/** The short-term loudness that was measured, in the row of the track whose it is, where on the timeline it was. */
export function LoudnessTrace(size: { readonly width: number; readonly rowHeight: number }) {
  const logged = usePlayback((p) => ({ of: p.loggedOf })).of;
  // Nothing was measured: nothing is looked after with every picture.
  return logged === null ? null : <Trace {...size} logged={logged} />;
}

interface TraceProps {
  readonly width: number;
  readonly rowHeight: number;
  readonly logged: string;
}

function Trace({ width, rowHeight, logged }: TraceProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const drawn = useRef("");
  const rows = useRows();
  const rate = useSessionParts((s) => ({ rate: s.session.rate })).rate;
  const bench = useBenchView();
  const view = shownView(bench);
  const inksOf = useInks(bench.theme);
  const row = rows.tracks.findIndex((t) => t.id === logged);
  useEveryPicture(({ log }) => {
    const { places } = log;
    const now = `${log.count} ${view.start} ${view.framesPerPixel} ${width} ${rowHeight} ${bench.theme} ${row}`;
    if (!canvas.current || now === drawn.current) return;
    const c = prepare(canvas.current, width, rowHeight);
    if (!c) return;
    drawn.current = now;
    const inks = inksOf(c);
    const yOf = (lufs: number) =>
      PAD + ((rowHeight - 2 * PAD) * (TOP_LUFS - Math.max(BOTTOM_LUFS, lufs))) / (TOP_LUFS - BOTTOM_LUFS);
    c.clearRect(0, 0, width, rowHeight);
    c.fillStyle = inks.faint;
    let last: { readonly x: number; readonly lufs: number } | null = null;
    places.forEach((lufs, i) => {
      const x = xOf(view, (i * rate) / A_SECOND);
      const right = xOf(view, ((i + 1) * rate) / A_SECOND);
      if (right < 0 || x > width || lufs < BOTTOM_LUFS) return;
      c.fillRect(x, yOf(lufs), Math.max(1, right - x), rowHeight - PAD - yOf(lufs));
      last = { x: right, lufs };
    });
    if (!last) return;
    const { x, lufs } = last as { x: number; lufs: number };
    const says = `${formatNumber(lufs, 1)} LUFS short-term`;
    c.font = inks.mono;
    c.textBaseline = "middle";
    const left = Math.min(x + 6, width - c.measureText(says).width - 8);
    c.fillStyle = inks.paper;
    // From the last column on: nothing of what stands below looks out between them.
    c.fillRect(x, rowHeight / 2 - 8, left + c.measureText(says).width + 3 - x, 16);
    c.fillStyle = inks.soft;
    c.fillText(says, left, rowHeight / 2);
  }, `${view.start} ${view.framesPerPixel} ${width} ${rowHeight} ${bench.theme} ${row}`);
  const track = rows.tracks[row];
  if (!track) return null;
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={`Short-term loudness of ${trackName(track)} over the timeline, as far as it was played`}
      style={{ top: row * rowHeight, width, height: rowHeight }}
      className="pointer-events-none absolute left-0 z-[1]"
    />
  );
}
