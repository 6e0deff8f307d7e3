import { useMemo, useRef, type RefObject } from "react";
import { formatNumber } from "../../core/words/numbers";
import { prepare, useInks } from "../canvas/canvas";
import { setText } from "../parts/set-text";
import { useEveryPicture } from "../playback/provider";
import { useSessionParts } from "../session/provider";
import { useRows } from "../timeline/shown";
import { useBenchView } from "../timeline/view";
import type { RowWindow } from "../timeline/visible-rows";

/** A meter shows 48 dB below full scale. */
const METER_DB = 48;
/** Parts of its height that it falls back in a second while it plays, and once it has stopped. */
const FALL_PLAYING = 0.72;
const FALL_STOPPED = 2;
const LONGEST_STEP_S = 0.2;
/** CSS pixels. */
const METER_WIDTH = 3;
const METER_PAD = 3;
/** Below this there is nothing to show, in LUFS over three seconds. */
const LEAST_LUFS = -70;
const meterPart = (peak: number): number =>
  peak <= 0 ? 0 : Math.max(0, Math.min(1, 1 + (20 * Math.log10(peak)) / METER_DB));

/** What the meters of all tracks show, in the order of the session. */
class Levels {
  /** The highest since the last picture. */
  peaks = new Float32Array(0);
  /** Parts of a meter's height. */
  private parts = new Float32Array(0);

  of(count: number): this {
    if (this.peaks.length === count) return this;
    this.peaks = new Float32Array(count);
    this.parts = new Float32Array(count);
    return this;
  }

  /** Takes a meter on: up at once, down by `fall` at most. */
  move(place: number, fall: number): number {
    const part = Math.max(meterPart(this.peaks[place] as number), (this.parts[place] as number) - fall);
    this.parts[place] = part;
    return part;
  }
}

/** What stands on the canvas, so that only what differs is drawn. */
class Drawn {
  private what = "";
  private rows = new Float32Array(0);

  /** Everything is drawn anew where `what` is not as it was. */
  begin(what: string, rows: number): void {
    if (what === this.what && rows === this.rows.length) return;
    this.what = what;
    this.rows = new Float32Array(rows).fill(NaN);
  }

  /** Whether a row has to be drawn. */
  put(row: number, part: number, isOver: boolean): boolean {
    // Single precision, as it is kept.
    const value = Math.fround(isOver ? part + 2 : part);
    if (this.rows[row] === value) return false;
    this.rows[row] = value;
    return true;
  }
}

interface Props extends RowWindow {
  /** CSS pixels. */
  readonly rowHeight: number;
  /** Shows the loudness of the mix while it plays. */
  readonly loudness: RefObject<HTMLSpanElement | null>;
}

/**
 * The meters of all rows that are made, on one canvas: an element for each would have the browser lay out and compose
 * the page anew with every picture.
 */
export function Meters({ rowHeight, first, end, loudness }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const rows = useRows();
  const { tracks } = useSessionParts((s) => ({ tracks: s.session.tracks }));
  const theme = useBenchView((v) => v.theme);
  const inksOf = useInks(theme);
  const levels = useRef(new Levels());
  const movedAt = useRef(0);
  const drawn = useRef(new Drawn());
  /** For each row that is made, which of the session's tracks it is. */
  const places = useMemo(() => {
    const placeOf = new Map(tracks.map((t, i) => [t.id, i]));
    return rows.tracks.slice(first, end).map((t) => placeOf.get(t.id) ?? 0);
  }, [tracks, rows, first, end]);
  const height = places.length * rowHeight;
  const what = `${places.join()} ${rowHeight} ${theme}`;
  useEveryPicture((playback) => {
    const lufs = playback.loudness();
    const isHeard = playback.state === "playing" && lufs > LEAST_LUFS;
    setText(loudness.current, isHeard ? ` · ${formatNumber(lufs, 1)} LUFS` : "");
    const { peaks } = levels.current.of(tracks.length);
    playback.peaks(peaks);
    const c = canvas.current && prepare(canvas.current, METER_WIDTH, height);
    if (!c) return;
    const inks = inksOf(c);
    const now = performance.now();
    const seconds = Math.min(LONGEST_STEP_S, (now - movedAt.current) / 1000);
    movedAt.current = now;
    const fall = seconds * (playback.state === "stopped" ? FALL_STOPPED : FALL_PLAYING);
    drawn.current.begin(`${what} ${devicePixelRatio}`, places.length);
    for (const [row, place] of places.entries()) {
      const isOver = (peaks[place] as number) > 1;
      const part = levels.current.move(place, fall);
      if (!drawn.current.put(row, part, isOver)) continue;
      const [top, full] = [row * rowHeight + METER_PAD, rowHeight - 2 * METER_PAD];
      c.fillStyle = inks.rule;
      c.fillRect(0, top, METER_WIDTH, full);
      c.fillStyle = isOver ? inks.signal : inks.ink;
      c.fillRect(0, top + full * (1 - part), METER_WIDTH, full * part);
    }
  }, what);
  return (
    <canvas
      ref={canvas}
      data-meters
      aria-hidden
      style={{ top: first * rowHeight, width: METER_WIDTH, height }}
      className="pointer-events-none absolute right-[2px]"
    />
  );
}
