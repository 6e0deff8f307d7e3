import fc from "fast-check";
import { makeAudioClip, makeDevice, makeLane } from "../session/build";
import type { Clip, Session, Track } from "../session/document";
import { checkSession } from "../session/check";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { hashOf } from "./listen";

type Change = (session: Session, track: Track, at: Frames) => Partial<Track> | Partial<Session>;

const lastOf = (track: Track, change: (clip: Clip) => Clip): Partial<Track> => ({
  clips: track.clips.map((c, i) => (i === track.clips.length - 1 ? change(c) : c)),
});
const tickOf = (session: Session, at: Frames) => Math.round(tempoMap(session.tempo, session.rate).toTicks(at));

/** Edits by name, most of them at a place of the timeline. */
const changes: Readonly<Record<string, Change>> = {
  "a clip more": (_, track, at) =>
    track.kind === "audio"
      ? {
          clips: [...track.clips, makeAudioClip({ id: "new", asset: hashOf(2), start: at, frames: 6000, offset: 100 })],
        }
      : {},
  "a clip less": (_, track) => ({ clips: track.clips.slice(0, -1) }),
  trimmed: (_, track) =>
    lastOf(track, (c) =>
      c.kind === "notes" ? { ...c, ticks: c.ticks - 100 } : { ...c, frames: c.frames - c.fadeOut.frames - 700 },
    ),
  "a clip's gain": (_, track) => lastOf(track, (c) => (c.kind === "notes" ? c : { ...c, gainDb: c.gainDb - 5 })),
  "a fade": (_, track) =>
    lastOf(track, (c) => (c.kind === "notes" ? c : { ...c, fadeOut: { frames: 2500, shape: "linear" } })),
  "a clip's effect": (_, track) =>
    lastOf(track, (c) =>
      c.kind === "audio" ? { ...c, process: [makeDevice("more", "saturator", { driveDb: 12 })] } : c,
    ),
  "a point of automation": (session, track, at) => ({
    automation: track.automation.map((lane) => {
      const tick = tickOf(session, at);
      const value = lane.points[0]?.value ?? 0;
      return {
        ...lane,
        points: [...lane.points.filter((p) => p.tick < tick), { tick, value, shape: "linear" as const, bend: 0 }],
      };
    }),
  }),
  "a fader that moves": (session, track, at) =>
    track.automation.some((l) => l.target === "fader")
      ? {}
      : {
          automation: [
            ...track.automation,
            makeLane(
              "new",
              "fader",
              [
                { tick: tickOf(session, at), value: track.faderDb, shape: "linear" },
                { tick: tickOf(session, at) + 480, value: -20 },
              ],
              null,
            ),
          ],
        },
  tempo: (session, _, at) => {
    const tick = tickOf(session, at);
    return { tempo: [...session.tempo.filter((p) => p.tick < tick), { tick, bpm: 77, shape: "hold" as const }] };
  },
  notes: (session, _, at) => ({
    phrases: session.phrases.map((p) => ({
      ...p,
      notes: [...p.notes, { tick: Math.min(p.ticks - 10, tickOf(session, at)), ticks: 300, pitch: 70, velocity: 90 }],
    })),
  }),
  fader: (_, track) => ({ faderDb: track.faderDb - 1 }),
  mute: (_, track) => ({ mute: !track.mute }),
};

const isOfSession = (patch: object): patch is Partial<Session> => "tempo" in patch || "phrases" in patch;

/** A session as it is after an edit; null where the edit is not legal or changes nothing. */
export function edited(session: Session, what: string, which: number, at: Frames): Session | null {
  const own = session.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument");
  const track = own[which % own.length];
  const change = changes[what];
  if (!track || !change) return null;
  const patch = change(session, track, at);
  const after: Session = isOfSession(patch)
    ? { ...session, ...patch }
    : { ...session, tracks: session.tracks.map((t) => (t === track ? { ...t, ...patch } : t)) };
  return JSON.stringify(after) === JSON.stringify(session) || checkSession(after).length > 0 ? null : after;
}

/** An edit, for a session of a second or so. */
export const randomEdits = fc.record({
  what: fc.constantFrom(...Object.keys(changes)),
  which: fc.nat(3),
  at: fc.integer({ min: 2000, max: 60_000 }),
});
