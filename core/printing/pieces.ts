import { declarationOf } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import { contentEnd } from "../engine/source";
import type { WiredPath } from "../engine/wiring";
import { isSum, wire } from "../engine/wiring";
import { clipSpan, isRinging } from "../session/clips";
import type { Clip, Session, Track } from "../session/document";
import type { TempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Slip } from "./slip";

/** The stretch of the timeline a slip is about, in frames; null: all of it. */
export function stretchOf(
  session: Session,
  { range }: Slip,
  tempo: TempoMap,
): { readonly from: Frames; readonly to: Frames } | null {
  if (range.by === "stretch") return range;
  if (range.by !== "saved") return null;
  const saved = session.ranges.find((r) => r.id === range.range);
  return saved ? { from: tempo.toFrames(saved.from), to: tempo.toFrames(saved.to) } : { from: 0, to: 0 };
}

/** A part of the sources that becomes one file. */
export interface Piece {
  readonly sources: readonly string[];
  readonly from: Frames;
  readonly to: Frames;
  /** The track with only the clips of this piece, where it sounds by itself; null: as the session has it. */
  readonly alone: Track | null;
  /** It has a place of its own, rather than the whole track's. */
  readonly own: boolean;
  /** Where it is placed; null: where it begins. */
  readonly at: readonly Frames[] | null;
  /** It may ring into the next one, and is placed so that both sound. */
  readonly layered: boolean;
  /** As a pad's layer. */
  readonly velocities: { readonly softest: number; readonly loudest: number } | null;
}

const PLAIN = { at: null, layered: false, velocities: null } as const;

/** First and last frame of what is placed on a track; of what sums others, of all that runs into it. */
function extent(session: Session, track: Track, tempo: TempoMap): { readonly from: Frames; readonly to: Frames } {
  const sources = isSum(track) ? wire(session, [], [track.id]).paths.map((p) => p.track) : [track];
  const clips = sources.flatMap((t) => t.clips.filter((c) => !c.muted).map((c) => clipSpan(c, tempo)));
  const to = isSum(track)
    ? Math.max(0, ...sources.map((t) => contentEnd(session, t, tempo)))
    : Math.max(0, ...clips.map((c) => c.to));
  return { from: clips.length === 0 ? 0 : Math.min(...clips.map((c) => c.from)), to };
}

/** How a slip cuts one track into files. */
export function piecesOf(session: Session, track: Track, slip: Slip, tempo: TempoMap): readonly Piece[] {
  // What is muted makes no piece of its own; among others it is silent anyway.
  const heard = track.clips.some((c) => !c.muted) ? track.clips.filter((c) => !c.muted) : track.clips;
  const chosen = slip.clips === null ? heard : heard.filter((c) => slip.clips?.includes(c.id));
  const all = chosen.length === heard.length;
  const spans = chosen.map((clip) => ({ clip, ...clipSpan(clip, tempo) })).sort((a, b) => a.from - b.from);
  const whole = (clips: readonly Clip[]): Track | null =>
    all && slip.pieces === "one piece" ? null : { ...track, clips, takes: [] };
  if (slip.pieces === "one piece") {
    const { from, to } = all
      ? extent(session, track, tempo)
      : { from: spans[0]?.from ?? 0, to: Math.max(0, ...spans.map((s) => s.to)) };
    // A range is printed as it is said, whatever of the track is chosen.
    const own = !all && slip.range.by === "own";
    return [{ sources: [track.id], from, to, alone: whole(chosen), own, ...PLAIN }];
  }
  const rings = slip.tap === "clip" ? chosen.some(isRinging) : slip.tail !== "none";
  const runs: { from: Frames; to: Frames; clips: Clip[] }[] = [];
  for (const { clip, from, to } of spans) {
    const last = runs.at(-1);
    if (slip.pieces === "each run" && last && from <= last.to) {
      last.clips.push(clip);
      last.to = Math.max(last.to, to);
    } else runs.push({ from, to, clips: [clip] });
  }
  return runs.map((r): Piece => ({
    sources: [track.id],
    from: r.from,
    to: r.to,
    alone: whole(r.clips),
    own: true,
    ...PLAIN,
    layered: rings && runs.length > 1,
  }));
}

/**
 * How long before a sound what passes linear-phase filters may begin: their rings stand on both sides of it. What
 * merely takes time lets nothing out early.
 */
export function earlyFrames(session: Session, sources: readonly string[]): Frames {
  const early = new Map<WiredPath, Frames>();
  for (const path of wire(session, [], sources).paths)
    early.set(path, aheadOf(session, path.track) + Math.max(0, ...path.inflows.map((w) => early.get(w.from) ?? 0)));
  return Math.max(0, ...early.values());
}

/**
 * Whether something that is placed at the very beginning is heard before it, where nothing can lie. Voices that swell
 * leave nothing there; what is struck or recorded begins as it is.
 */
export function ringsBeforeZero(session: Session, sources: readonly string[], tempo: TempoMap): boolean {
  const first = new Map<WiredPath, number>();
  for (const path of wire(session, [], sources).paths) {
    const { track } = path;
    const swells =
      track.kind === "instrument" &&
      declarationOf(track.devices[0]?.type ?? "")?.params.some((p) => p.id === "attackS");
    const own = !swells ? track.clips.map((c) => clipSpan(c, tempo).from) : [];
    first.set(
      path,
      Math.min(...own, ...path.inflows.map((w) => first.get(w.from) ?? Infinity)) - aheadOf(session, track),
    );
  }
  return [...first.values()].some((at) => at < 0);
}

const aheadOf = (session: Session, { devices }: Pick<Track, "devices">): Frames =>
  devices.reduce((sum, d) => {
    const declaration = d.on ? declarationOf(d.type) : undefined;
    return (
      sum + (declaration?.ringsAhead ? declaration.latency(completeParams(declaration, d.params), session.rate) : 0)
    );
  }, 0);

/** All tracks of a slip as one file. */
export function together(session: Session, tracks: readonly Track[], slip: Slip, tempo: TempoMap): Piece {
  const ends = tracks.map((t) => extent(session, t, tempo));
  return {
    sources: slip.tracks,
    from: Math.min(...ends.map((e) => e.from)),
    to: Math.max(...ends.map((e) => e.to)),
    alone: null,
    own: false,
    ...PLAIN,
  };
}
