import type { Tap } from "../engine/tap";
import { contentEnd } from "../engine/source";
import { sessionEnd } from "../engine/render";
import { hoursTooLong } from "../limits";
import type { Planned } from "../printing/refusals";
import { refusePrint } from "../printing/refusals";
import { makeTrack } from "../session/build";
import type { PlacedClip, Session, SessionFile, Track } from "../session/document";
import { mixOf } from "../session/routing";
import type { Carries } from "../timeline/carries";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Piece } from "./pieces";
import { piecesOf } from "./pieces";

/** How a session is told to others. */
export type SessionFileOptions = Omit<SessionFile, "kind">;

/** A file that has to be rendered before a session can be told. */
export interface Printing {
  readonly id: string;
  readonly name: string;
  readonly tap: Tap;
  readonly from: Frames;
  /** Null: it ends with its own last sound. */
  readonly to: Frames | null;
  /** What sounds on behind `to` is in it. */
  readonly rings: boolean;
  readonly depth: SessionFile["printDepth"];
}

/**
 * What has to be printed for all the files of a package together: nothing twice, and all of it in one pass. A clip that
 * is printed by itself gets a track of its own in the session that is rendered.
 */
export class PrintPool {
  readonly prints: Printing[] = [];
  private readonly known = new Map<string, string>();
  private readonly extra: Track[] = [];
  private readonly taken: Set<string>;

  constructor(private readonly session: Session) {
    this.taken = new Set(session.tracks.map((t) => t.id));
  }

  /** The session with a track more for every clip. */
  get rendered(): Session {
    const { session, extra } = this;
    return { ...session, tracks: session.tracks.toSpliced(session.tracks.indexOf(mixOf(session)), 0, ...extra) };
  }

  track(track: Track, at: "devices" | "channel", depth: SessionFile["printDepth"]): string {
    return this.once([track.id, at, depth], (id) => {
      const tap: Tap = { kind: "path", sources: [track.id], at, returns: false, linked: false };
      return { id, name: track.name || "Track", tap, from: 0, to: null, rings: false, depth };
    });
  }

  clip(piece: Piece, name: string, depth: SessionFile["printDepth"]): string {
    return this.once([bared(piece), piece.from, piece.to, depth], (id) => {
      let made = `tell-${this.prints.length}`;
      while (this.taken.has(made)) made += "-";
      this.taken.add(made);
      const clips = [bared(piece)];
      this.extra.push(makeTrack({ id: made, name, kind: "audio", output: mixOf(this.session).id, clips }));
      const tap: Tap = { kind: "path", sources: [made], at: "clip", returns: false, linked: false };
      return { id, name, tap, from: piece.from, to: piece.to, rings: piece.rings, depth };
    });
  }

  private once(what: readonly unknown[], make: (id: string) => Printing): string {
    const key = JSON.stringify(what);
    const found = this.known.get(key);
    if (found !== undefined) return found;
    const print = make(`print-${this.prints.length}`);
    this.known.set(key, print.id);
    this.prints.push(print);
    return print.id;
  }
}

/** A track as it will be told, beside what is set on it. */
export type PlannedTrack = { readonly track: Track } & (
  | { readonly how: "clips"; readonly pieces: readonly (Piece & { readonly print: string | null })[] }
  | { readonly how: "print"; readonly print: string; readonly at: "devices" | "channel" }
  | { readonly how: "frozen"; readonly asset: string }
  | { readonly how: "notes" }
  | { readonly how: "routing" }
  | { readonly how: "left out"; readonly why: "parked" | "muted" | "empty" }
);

export interface SessionFilePlan {
  readonly options: SessionFileOptions;
  readonly carries: Carries;
  readonly session: Session;
  /** Raw tracks are muted below their prints where that was asked for. */
  readonly tracks: readonly (PlannedTrack & { readonly below: boolean })[];
}

/** Plans how a session is told in a kind of file; what has to be printed for that goes into the pool. */
export function planSessionFile(
  session: Session,
  carries: Carries,
  options: SessionFileOptions,
  pool: PrintPool,
): Planned<SessionFilePlan> {
  const tempo = tempoMap(session.tempo, session.rate);
  const hours = hoursTooLong(sessionEnd(session), session.rate);
  if (hours !== null) return refusePrint({ kind: "too long", hours });
  const planned: (PlannedTrack & { below: boolean })[] = [];
  const isKnown = (shape: Carries["fades"][number]) =>
    carries.fades.includes(shape) || (options.curvedFades === "straight" && carries.fades.includes("linear"));
  const printed = (track: Track, at: "devices" | "channel"): PlannedTrack => ({
    track,
    how: "print",
    print: pool.track(track, at, options.printDepth),
    at,
  });
  const asClips = (track: Track): PlannedTrack => ({
    track,
    how: "clips",
    pieces: piecesOf(track, isKnown).map((piece) => ({
      ...piece,
      print: piece.as === "file" ? null : pool.clip(piece, piece.clip.name || track.name || "Clip", options.printDepth),
    })),
  });
  for (const track of session.tracks) {
    const put = (one: PlannedTrack, below = false) => void planned.push({ ...one, below });
    if (track.parked) put({ track, how: "left out", why: "parked" });
    else if (track.kind !== "audio" && track.kind !== "instrument") put({ track, how: "routing" });
    else if (contentEnd(session, track, tempo) === 0) put({ track, how: "left out", why: "empty" });
    else if (track.mute && !carries.mute && options.mutedTracks === "left out" && !movesMute(track))
      put({ track, how: "left out", why: "muted" });
    else if (!carries.audio)
      put(track.kind === "instrument" ? { track, how: "notes" } : { track, how: "clips", pieces: [] });
    else {
      const works = track.frozen !== null || track.kind === "instrument" || track.devices.some((d) => d.on);
      const isPrinted = track.kind === "instrument" || (options.print !== "nothing" && works);
      if (options.print === "channels") put(printed(track, "channel"));
      else if (isPrinted && track.frozen) put({ track, how: "frozen", asset: track.frozen.asset });
      else if (isPrinted) put(printed(track, "devices"));
      else put(asClips(track));
      if (track.kind === "instrument" && carries.notes) put({ track, how: "notes" }, true);
      else if (track.kind === "audio" && isPrinted && options.print === "both" && carries.mute)
        put(asClips(track), true);
    }
  }
  return { ok: true, value: { options, carries, session, tracks: planned } };
}

const movesMute = (track: Track): boolean => track.automation.some((a) => a.target === "mute");

/** The clip of a piece, alone: without gain and fades where those are still to be set. */
function bared({ clip, as }: Piece): PlacedClip {
  const whole = { ...clip, crossfade: false, layered: false };
  if (as === "sound") return whole;
  const none = { frames: 0, shape: "linear" } as const;
  return { ...whole, gainDb: 0, fadeIn: none, fadeOut: none };
}
