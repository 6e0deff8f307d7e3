import { tempoMap } from "../time/tempo";
import type { Bpm, Frames, Hertz } from "../units";
import { clipSpan } from "./clips";
import type { Session, Track } from "./document";

/** A session at a glance: as much of it as a small picture shows. */
export interface Sketch {
  /** To the end of the last clip. */
  readonly frames: Frames;
  readonly rate: Hertz;
  readonly bpm: Bpm;
  readonly tempoMoves: boolean;
  readonly meter: string;
  /** Tracks with something on them, in order, not more than fit; stretches in thousandths of the length. */
  readonly rows: readonly SketchRow[];
}

export interface SketchRow {
  readonly kind: "audio" | "notes";
  readonly spans: readonly (readonly [from: number, to: number])[];
}

const MOST_ROWS = 16;
const PARTS = 1000;
/** Nearer than so many thousandths, stretches are drawn as one. */
const SEAM = 4;

export function sketchOf(session: Session): Sketch {
  const tempo = tempoMap(session.tempo, session.rate);
  const placed = session.tracks
    .filter((t) => !t.parked && t.clips.length > 0)
    .map((track) => ({ track, spans: track.clips.map((c) => clipSpan(c, tempo)) }));
  const frames = placed.reduce((end, { spans }) => spans.reduce((e, s) => Math.max(e, s.to), end), 0);
  const [first, ...more] = session.tempo;
  const meter = session.meter[0];
  return {
    frames,
    rate: session.rate,
    bpm: first?.bpm ?? 120,
    tempoMoves: more.length > 0,
    meter: meter ? `${meter.numerator}/${meter.denominator}` : "4/4",
    rows: thinned(placed, MOST_ROWS).map(({ track, spans }) => ({
      kind: isOfNotes(track) ? "notes" : "audio",
      spans: joined(spans.map((s) => [place(s.from, frames), place(s.to, frames)] as const)),
    })),
  };
}

const isOfNotes = (track: Track): boolean => track.clips.every((c) => c.kind === "notes");
const place = (frame: Frames, of: Frames): number => Math.round((PARTS * Math.max(0, frame)) / Math.max(1, of));

/** As many of a list as there is room for, spread evenly over it. */
const thinned = <T>(list: readonly T[], most: number): readonly T[] =>
  list.length <= most ? list : Array.from({ length: most }, (_, i) => list[Math.floor((i * list.length) / most)] as T);

function joined(spans: readonly (readonly [number, number])[]): readonly (readonly [number, number])[] {
  const made: [number, number][] = [];
  for (const [from, to] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = made.at(-1);
    if (last && from <= last[1] + SEAM) last[1] = Math.max(last[1], to);
    else made.push([from, to]);
  }
  return made;
}
