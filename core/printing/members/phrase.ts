import { declarationOf } from "../../devices/catalogue";
import { clipSpan, placedNotes } from "../../session/clips";
import type { NoteClip, Session, Track } from "../../session/document";
import type { TempoMap } from "../../time/tempo";
import type { Frames } from "../../units";
import { earlyFrames } from "../pieces";
import type { Piece } from "../pieces";
import type { Member } from "./member";
import type { Reason } from "../reasons";
import type { Why } from "../refusals";
import { leavesOut } from "../slip";
import { shownName } from "../../session/names";

/** The clips of a track that play a phrase. */
export const placementsOf = (track: Track, phrase: string): readonly NoteClip[] =>
  track.clips.filter((c): c is NoteClip => c.kind === "notes" && c.phrase === phrase);

/** Tracks on which a phrase is placed and would sound. */
export const tracksOf = (session: Session, phrase: string): readonly string[] =>
  session.tracks
    .filter((t) => t.kind === "instrument" && !t.parked && placementsOf(t, phrase).length > 0)
    .map((t) => t.id);

/** Placements that play the same part of the phrase, for the same time: one file serves them all. */
function windowsOf(track: Track, phrase: string): readonly (readonly NoteClip[])[] {
  const windows = new Map<string, NoteClip[]>();
  for (const clip of placementsOf(track, phrase)) {
    const key = `${clip.offset}/${clip.ticks}/${clip.loop ? "loop" : ""}`;
    windows.set(key, [...(windows.get(key) ?? []), clip]);
  }
  return [...windows.values()];
}

/** One file for each different part of the phrase that is placed on a track, printed where it is placed first. */
function pieces(session: Session, track: Track, phrase: string, tempo: TempoMap): readonly Piece[] {
  const early = earlyFrames(session, [track.id]);
  return windowsOf(track, phrase).flatMap((clips): Piece[] => {
    const [first] = clips;
    if (!first) return [];
    const span = clipSpan(first, tempo);
    const from = Math.max(0, span.from - early);
    return [
      {
        sources: [track.id],
        from: span.from,
        to: span.to,
        own: true,
        alone: { ...track, clips: [first], takes: [] },
        layered: true,
        velocities: null,
        at: clips.map((c) => Math.max(0, clipSpan(c, tempo).from - (span.from - from))),
      },
    ];
  });
}

/** Why a phrase's print cannot stand in for its placements at all; null: it can. */
function refusal(track: Track, phrase: string, still: boolean): Why | null {
  const placed = placementsOf(track, phrase);
  if (placed.length === 0) return { kind: "phrase not placed" };
  const moving = !still && placed.length > 1 ? track.automation.find((a) => a.target === "param") : undefined;
  if (!moving) return null;
  const device = track.devices.find((d) => d.id === moving.of);
  const declaration = device && declarationOf(device.type);
  const parameter = declaration?.params.find((p) => p.id === moving.param)?.name ?? "a parameter";
  return { kind: "parameter moves", parameter };
}

/** Why placements would sound otherwise than their print; null: they are the same. */
function differs(session: Session, track: Track, phrase: string, tempo: TempoMap): Reason | null {
  const name = shownName(track);
  const devices = track.devices
    .filter((d) => d.on)
    .flatMap((d) => {
      const declaration = declarationOf(d.type);
      return declaration ? [{ device: d, declaration }] : [];
    });
  const [, ...effects] = devices;
  const windows = windowsOf(track, phrase);
  const many = windows.some((w) => w.length > 1);
  const keyed = devices.find(({ device }) => device.key !== null);
  if (keyed && many) return { kind: "steered elsewhere", device: keyed.declaration.name, track: name };
  const wanders = devices.find(({ declaration }) => declaration.wanders);
  if (wanders && many) return { kind: "wanders", device: wanders.declaration.name, track: name };
  const tempoed = devices.find(({ declaration }) => declaration.usesTempo);
  if (tempoed && many && session.tempo.length > 1)
    return { kind: "follows the tempo", device: tempoed.declaration.name, track: name };
  const follows = effects.find(({ declaration }) => !declaration.linear);
  if (follows) return { kind: "hears all at once", device: follows.declaration.name, track: name };
  const odd = windows.find((w) =>
    w.some((c) => timing(session, c, tempo) !== timing(session, w[0] as NoteClip, tempo)),
  );
  return odd ? { kind: "tempo moves the notes", clip: odd[0]?.name || "the phrase" } : null;
}

/** What may make a printed phrase differ: what rings before its first sound, where nothing can lie before it. */
function mayDiffer(session: Session, track: Track, phrase: string, tempo: TempoMap): Reason | null {
  const early = earlyFrames(session, [track.id]);
  return placementsOf(track, phrase).some((c) => clipSpan(c, tempo).from < early)
    ? { kind: "rings before the beginning" }
    : null;
}

/** Distances of a placement's notes from its beginning, and their lengths, in frames. */
function timing(session: Session, clip: NoteClip, tempo: TempoMap): string {
  const phrase = session.phrases.find((p) => p.id === clip.phrase);
  const zero: Frames = tempo.toFrames(clip.start);
  return phrase
    ? placedNotes(clip, phrase)
        .map((n) => `${tempo.toFrames(n.start) - zero}+${tempo.toFrames(n.end) - tempo.toFrames(n.start)}`)
        .join(" ")
    : "";
}

/** A phrase on all tracks that play it: one file for each different part that is placed, in every placement's place. */
export const phrase: Member = {
  phraseOf: ({ of }) => (of.what === "phrase" ? of.phrase : null),
  refusesTrack({ slip }, track) {
    if (slip.of.what !== "phrase") return null;
    if (track.clips.length === 0) return { kind: "nothing on the track" };
    if (slip.tap !== "devices") return { kind: "phrase before its devices" };
    return refusal(track, slip.of.phrase, leavesOut(slip, "param"));
  },
  pieces({ session, tracks, slip: { of }, tempo }) {
    const own = of.what === "phrase" ? tracks.flatMap((t) => pieces(session, t, of.phrase, tempo)) : [];
    return { pieces: own, phrases: [] };
  },
  differs({ session, tracks, slip: { of }, tempo }) {
    if (of.what !== "phrase") return null;
    return tracks.map((t) => differs(session, t, of.phrase, tempo)).find((why) => why !== null) ?? null;
  },
  mayDiffer({ session, tracks: [first], slip: { of }, tempo }) {
    return of.what === "phrase" && first ? mayDiffer(session, first, of.phrase, tempo) : null;
  },
};
