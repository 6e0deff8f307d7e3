import fc from "fast-check";
import { makeAudioClip, makeDevice, makeLane, makeNest, makeSend, makeTrack } from "../session/build";
import type { Clip, Session, Track } from "../session/document";
import { checkSession } from "../session/check";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import type { Tap } from "../engine/tap";
import { MIX_OUT, hashOf, tapAt } from "./listen";

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
  "devices in another order": (_, track) => {
    const first = track.kind === "instrument" ? 1 : 0;
    return { devices: [...track.devices.slice(0, first), ...track.devices.slice(first).reverse()] };
  },
  "a device more": (_, track) => ({
    devices: [...track.devices, makeDevice("device more", "delay", { beats: 0.125, feedback: 20 })],
  }),
  "a device less": (_, track) =>
    track.devices.length < 2
      ? {}
      : {
          devices: track.devices.slice(0, -1),
          automation: track.automation.filter((l) => l.of !== track.devices.at(-1)?.id),
        },
  "a device switched": (_, track) => ({
    devices: track.devices.map((d, i) => (i === track.devices.length - 1 ? { ...d, on: !d.on } : d)),
  }),
  "devices by other ids": (_, track) => ({
    devices: track.devices.map((d) => ({ ...d, id: `${d.id} again` })),
    automation: track.automation.map((l) => (l.target === "param" ? { ...l, of: `${l.of} again` } : l)),
  }),
  "clips by other ids": (_, track) => ({ clips: track.clips.map((c) => withIds(c, (id) => `${id} again`)) }),
  "a key": ({ tracks }, track) => ({
    devices: track.devices.map((d) => {
      const other = tracks.find((t) => t.id !== track.id && t.clips.length > 0)?.id ?? null;
      return d.type === "compressor" || d.type === "gate" ? { ...d, key: d.key === null ? other : null } : d;
    }),
  }),
  "a compressor that follows another track": ({ tracks }, track) => {
    const other = tracks.find((t) => t.id !== track.id && t.clips.length > 0)?.id ?? null;
    const keyed = makeDevice("keyed", "compressor", { thresholdDb: -40, lookaheadMs: 1 }, other);
    return { devices: [...track.devices, keyed] };
  },
  "another output": (_, track) => ({ output: track.output === "g1" ? "mix" : track.output === "mix" ? "g2" : "g1" }),
  "a send more": (_, track) => ({ sends: [...track.sends, makeSend("send more", "hall", -6, "before fader")] }),
  "a send less": (_, track) => ({
    sends: track.sends.slice(0, -1),
    automation: track.automation.filter((l) => l.target !== "send" || l.of !== track.sends.at(-1)?.id),
  }),
  "clips in a nest": (_, track) => {
    const clips = track.clips.flatMap((c) => (c.kind === "audio" ? [c] : []));
    const start = Math.min(...clips.map((c) => c.start));
    const children = clips.map((c) => ({ ...c, start: c.start - start }));
    return clips.length === 0 || clips.length < track.clips.length
      ? {}
      : {
          clips: [
            makeNest({
              ...{ id: "nest of all", start, offset: 0, children },
              frames: Math.max(...children.map((c) => c.start + c.frames)),
            }),
          ],
        };
  },
  "tracks in another order": ({ tracks }) => ({
    tracks: [...tracks.filter((t) => t.clips.length > 0).reverse(), ...tracks.filter((t) => t.clips.length === 0)],
  }),
  "a track that begins late": ({ tracks }, track, at) => ({
    tracks: [
      makeTrack({
        ...{ id: "late", name: "Late", kind: "audio", output: track.output },
        clips: [makeAudioClip({ id: "late clip", asset: hashOf(3), start: at, frames: 9000 })],
        devices: [makeDevice("late device", "chorus")],
        sends: [makeSend("late send", "hall", -9)],
      }),
      ...tracks,
    ],
  }),
  "a copy of a track, late": ({ tracks, rate, tempo }, track, at) => ({
    tracks: [...tracks, copyOf(track, at, tempoMap(tempo, rate).toTicks(at))],
  }),
  "a track less": ({ tracks }, track) => ({ tracks: tracks.filter((t) => t !== track) }),
  "a track parked": () => ({ parked: true }),
  "a group around": ({ tracks }, track) => ({
    tracks: [
      ...tracks.map((t) => (t === track ? { ...t, output: "around" } : t)),
      makeTrack({ id: "around", name: "Around", kind: "group", output: track.output }),
    ],
  }),
  "a device on a group": ({ tracks }) => ({
    tracks: tracks.map((t) =>
      t.kind === "group" ? { ...t, devices: [...t.devices, makeDevice(`on ${t.id}`, "tremolo", { rateHz: 5 })] } : t,
    ),
  }),
  "a return that moves": ({ tracks }, _, at) => ({
    tracks: tracks.map((t) =>
      t.kind === "return"
        ? { ...t, automation: [makeLane("moves", "fader", [{ tick: at >> 5, value: -9 }], null)] }
        : t,
    ),
  }),
};

/** A clip under other ids; with the clips of a nest, and the devices of its effects. */
function withIds<C extends Clip>(clip: C, idOf: (id: string) => string): C {
  return {
    ...clip,
    id: idOf(clip.id),
    ...(clip.kind === "nest" ? { children: clip.children.map((child) => withIds(child, idOf)) } : {}),
    ...(clip.kind === "audio" ? { process: clip.process.map((d) => ({ ...d, id: idOf(d.id) })) } : {}),
  };
}

/** A track once more, under other ids, with its first clip at a place. */
function copyOf(track: Track, at: Frames, tick: number): Track {
  const idOf = (id: string) => `${id} copied`;
  const first = Math.min(...track.clips.map((c) => c.start));
  return {
    ...track,
    id: idOf(track.id),
    clips: track.clips.map((c) => ({
      ...withIds(c, idOf),
      start: c.start - first + (c.kind === "notes" ? Math.round(tick) : at),
    })),
    devices: track.devices.map((d) => ({ ...d, id: idOf(d.id) })),
    sends: track.sends.map((s) => ({ ...s, id: idOf(s.id) })),
    automation: track.automation.map((l) => ({ ...l, id: idOf(l.id), of: l.of === null ? null : idOf(l.of) })),
  };
}

const isOfSession = (patch: object): patch is Partial<Session> =>
  "tempo" in patch || "phrases" in patch || "tracks" in patch;

/**
 * The session with all its tracks but the first beginning later: an edit of one of them then leaves a stretch before it
 * as it was, whatever the edit is.
 */
export function withLateTracks(session: Session, later: Frames): Session {
  const [first] = session.tracks;
  const ticks = tickOf(session, later);
  return {
    ...session,
    tracks: session.tracks.map((t) =>
      t === first
        ? t
        : { ...t, clips: t.clips.map((c) => ({ ...c, start: c.start + (c.kind === "notes" ? ticks : later) })) },
    ),
  };
}

/** An edit by its name, of one of the tracks, at a frame of the timeline. */
export interface RandomEdit {
  readonly what: string;
  readonly which: number;
  readonly at: Frames;
}

/** A session as it is after edits, one after the other; null where one of them is not legal or changes nothing. */
export function edited(session: Session, edits: readonly RandomEdit[]): Session | null {
  let now = session;
  for (const { what, which, at } of edits) {
    const own = now.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument");
    const track = own[which % own.length];
    const change = changes[what];
    if (!track || !change) return null;
    const patch = change(now, track, at);
    const after: Session = isOfSession(patch)
      ? { ...now, ...patch }
      : { ...now, tracks: now.tracks.map((t) => (t === track ? { ...t, ...patch } : t)) };
    if (JSON.stringify(after) === JSON.stringify(now) || checkSession(after).length > 0) return null;
    now = after;
  }
  return now;
}

/** One to three edits, for a session of a second or so. */
export const randomEdits: fc.Arbitrary<readonly RandomEdit[]> = fc.array(
  fc.record({
    what: fc.constantFrom(...Object.keys(changes)),
    which: fc.nat(3),
    at: fc.integer({ min: 2000, max: 60_000 }),
  }),
  { minLength: 1, maxLength: 3 },
);

/** One edit of what stands at a place, which leaves what comes before it as it was. */
export const placedEdits: fc.Arbitrary<readonly RandomEdit[]> = fc
  .record({
    what: fc.constantFrom(
      ...[
        "a clip more",
        "a clip less",
        "trimmed",
        "a clip's gain",
        "a fade",
        "a point of automation",
        "notes",
        "tempo",
      ],
    ),
    which: fc.nat(3),
    at: fc.integer({ min: 20_000, max: 60_000 }),
  })
  .map((edit) => [edit]);

/** The mix, and the tracks that play something before and after an edit, behind their devices. */
export const tapsInBoth = (before: Session, after: Session): readonly Tap[] => [
  MIX_OUT,
  ...before.tracks
    .filter((t) => t.clips.length > 0 && after.tracks.some((other) => other.id === t.id))
    .map((t) => tapAt("devices", t.id)),
];
