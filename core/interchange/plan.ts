import type { Tap } from "../engine/tap";
import { contentEnd } from "../engine/source";
import { sessionEnd } from "../engine/render";
import { tooLong } from "../limits";
import { makeTrack } from "../session/build";
import type { PlacedClip, Session, Track } from "../session/document";
import type { Checked } from "../session/problem";
import { refuse } from "../session/problem";
import { mixOf } from "../session/routing";
import type { Carries } from "../timeline/carries";
import type { FrameRateName } from "../timeline/timeline";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Piece } from "./pieces";
import { piecesOf } from "./pieces";

/** How a session is told to others. */
export interface TellingOptions {
  /**
   * What is printed first, beside what the file cannot hold: nothing more; tracks with devices, after them; every track,
   * after its fader and pan; or devices, with the raw track muted below its print.
   */
  readonly print: "nothing" | "devices" | "channels" | "both";
  /** Fades that the file knows only as straight lines: printed into the audio, or told as straight ones. */
  readonly curvedFades: "printed" | "straight";
  /** Of files that cannot say that a track is muted. */
  readonly mutedTracks: "left out" | "sounding";
  /** A stereo file as one of two channels, or as two mono files on two tracks. */
  readonly stereo: "one file" | "two mono";
  /** Whole files, or of each what is played and so much around it. */
  readonly media: "whole files" | "what is played";
  readonly handleSeconds: number;
  readonly frameRate: FrameRateName;
  /** Frame of the day at which the timeline's zero stands, in frames of the picture. */
  readonly startPictureFrames: number;
}

export const PLAIN_TELLING: TellingOptions = {
  print: "devices",
  curvedFades: "printed",
  mutedTracks: "left out",
  stereo: "one file",
  media: "whole files",
  handleSeconds: 2,
  frameRate: "25",
  startPictureFrames: 0,
};

/** A file that has to be rendered before a session can be told. */
export interface Printing {
  readonly id: string;
  readonly name: string;
  readonly tap: Tap;
  readonly from: Frames;
  /** Null: it ends with its own last sound. */
  readonly to: Frames | null;
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

export interface TellingPlan {
  readonly options: TellingOptions;
  readonly carries: Carries;
  readonly session: Session;
  /** What the pass renders: the session, with a track more for every clip that is printed by itself. */
  readonly rendered: Session;
  readonly prints: readonly Printing[];
  readonly to: Frames;
  /** Raw tracks are muted below their prints where that was asked for. */
  readonly tracks: readonly (PlannedTrack & { readonly below: boolean })[];
}

/** Plans how a session is told in a kind of file, and what has to be printed for that: all of it in one pass. */
export function planTelling(session: Session, carries: Carries, options: TellingOptions): Checked<TellingPlan> {
  const tempo = tempoMap(session.tempo, session.rate);
  const end = sessionEnd(session);
  const long = tooLong(end, session.rate);
  if (long) return refuse("session", long);
  const prints: Printing[] = [];
  const extra: Track[] = [];
  const planned: (PlannedTrack & { below: boolean })[] = [];
  const isKnown = (shape: Carries["fades"][number]) =>
    carries.fades.includes(shape) || (options.curvedFades === "straight" && carries.fades.includes("linear"));
  const takenIds = new Set(session.tracks.map((t) => t.id));
  const printTrack = (track: Track, at: "devices" | "channel"): PlannedTrack => {
    const id = `track-${prints.length}`;
    const tap: Tap = { kind: "path", sources: [track.id], at, returns: false, linked: false };
    prints.push({ id, name: track.name || "Track", tap, from: 0, to: null });
    return { track, how: "print", print: id, at };
  };
  const asClips = (track: Track): PlannedTrack => {
    const pieces = piecesOf(track, isKnown).map((piece) => {
      if (piece.as === "file") return { ...piece, print: null };
      const id = `clip-${prints.length}`;
      let made = `tell-${prints.length}`;
      while (takenIds.has(made)) made += "-";
      takenIds.add(made);
      extra.push(
        makeTrack({ id: made, name: piece.clip.name, kind: "audio", output: mixOf(session).id, clips: [bared(piece)] }),
      );
      const tap: Tap = { kind: "path", sources: [made], at: "clip", returns: false, linked: false };
      prints.push({ id, name: piece.clip.name || track.name || "Clip", tap, from: piece.from, to: piece.to });
      return { ...piece, print: id };
    });
    return { track, how: "clips", pieces };
  };
  for (const track of session.tracks) {
    const put = (one: PlannedTrack, below = false) => void planned.push({ ...one, below });
    if (track.parked) put({ track, how: "left out", why: "parked" });
    else if (track.kind !== "audio" && track.kind !== "instrument") put({ track, how: "routing" });
    else if (contentEnd(session, track, tempo) === 0) put({ track, how: "left out", why: "empty" });
    else if (track.mute && !carries.mute && options.mutedTracks === "left out" && !movesMute(track))
      put({ track, how: "left out", why: "muted" });
    else if (!carries.audio) put({ track, how: track.kind === "instrument" ? "notes" : "clips", ...noPieces });
    else {
      const works = track.frozen !== null || track.kind === "instrument" || track.devices.some((d) => d.on);
      const isPrinted = track.kind === "instrument" || (options.print !== "nothing" && works);
      if (options.print === "channels") put(printTrack(track, "channel"));
      else if (isPrinted && track.frozen) put({ track, how: "frozen", asset: track.frozen.asset });
      else if (isPrinted) put(printTrack(track, "devices"));
      else put(asClips(track));
      if (track.kind === "instrument" && carries.notes) put({ track, how: "notes" }, true);
      else if (track.kind === "audio" && isPrinted && options.print === "both") put(asClips(track), true);
    }
  }
  const mix = mixOf(session);
  const index = session.tracks.indexOf(mix);
  return {
    ok: true,
    value: {
      options,
      carries,
      session,
      rendered: { ...session, tracks: session.tracks.toSpliced(index, 0, ...extra) },
      prints,
      to: end,
      tracks: planned,
    },
  };
}

const noPieces = { pieces: [] };
const movesMute = (track: Track): boolean => track.automation.some((a) => a.target === "mute");

/** The clip of a piece, alone: without gain and fades where those are still to be set. */
function bared({ clip, as }: Piece): PlacedClip {
  const whole = { ...clip, crossfade: false, layered: false };
  if (as === "sound") return whole;
  const none = { frames: 0, shape: "linear" } as const;
  return { ...whole, gainDb: 0, fadeIn: none, fadeOut: none };
}
