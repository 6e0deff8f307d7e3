import { declarationOf } from "../devices/catalogue";
import type { Params } from "../devices/device";
import { completeParams } from "../devices/device";
import type { Device, Session, Track } from "../session/document";
import type { Db } from "../units";

/**
 * What of a track a playing mix can glide to: its fader, pan and mute, levels of its sends, and parameters of its
 * devices that are not fixed. Only what differs is there.
 */
export interface LevelChange {
  readonly track: string;
  readonly faderDb?: Db;
  readonly pan?: number;
  readonly mute?: boolean;
  /** By send. */
  readonly sends?: Readonly<Record<string, Db>>;
  /** By device, every parameter of it. */
  readonly params?: Readonly<Record<string, Params>>;
}

/**
 * What a playing mix has to be told to glide from one session to another; null where they differ in what needs a graph
 * of its own. Names, takes, markers, the sheet and what the list of assets says are never heard. What both share by
 * identity is not looked at.
 */
export function levelChanges(before: Session, after: Session): readonly LevelChange[] | null {
  const changes: LevelChange[] = [];
  if (before === after) return changes;
  if (before.tracks.length !== after.tracks.length) return null;
  for (const key of HEARD) if (!same(before[key], after[key])) return null;
  if (before.tracks === after.tracks) return changes;
  for (const [i, was] of before.tracks.entries()) {
    const now = after.tracks[i] as Track;
    if (was === now) continue;
    const change = changeOf(was, now);
    if (!change) return null;
    if (Object.keys(change).length > 1) changes.push(change);
  }
  return changes;
}

/** What is the same for all tracks and changes what they sound like. */
const HEARD = ["rate", "leadIn", "tempo", "meter", "phrases"] as const satisfies readonly (keyof Session)[];
/** What a track keeps that is never heard, and what glides. */
const NOT_HEARD: readonly (keyof Track)[] = ["name", "takes", "hidden", "printOf"];
const GLIDES: readonly (keyof Track)[] = ["faderDb", "pan", "mute"];

function changeOf(was: Track, now: Track): LevelChange | null {
  const fields = Object.keys(now) as (keyof Track)[];
  for (const field of fields) {
    if (NOT_HEARD.includes(field) || GLIDES.includes(field) || field === "sends" || field === "devices") continue;
    if (!same(was[field], now[field])) return null;
  }
  if (was.sends.length !== now.sends.length || was.devices.length !== now.devices.length) return null;
  const sends: Record<string, Db> = {};
  for (const [i, send] of was.sends.entries()) {
    const next = now.sends[i] as Track["sends"][number];
    if (send.id !== next.id || send.to !== next.to || send.position !== next.position) return null;
    if (send.gainDb !== next.gainDb) sends[next.id] = next.gainDb;
  }
  const params: Record<string, Params> = {};
  for (const [i, device] of was.devices.entries()) {
    const next = now.devices[i] as Device;
    if (device === next) continue;
    if (!turns(device, next)) return null;
    if (!same(device.params, next.params)) params[next.id] = next.params;
  }
  return {
    track: now.id,
    ...(was.faderDb === now.faderDb ? {} : { faderDb: now.faderDb }),
    ...(was.pan === now.pan ? {} : { pan: now.pan }),
    ...(was.mute === now.mute ? {} : { mute: now.mute }),
    ...(Object.keys(sends).length === 0 ? {} : { sends }),
    ...(Object.keys(params).length === 0 ? {} : { params }),
  };
}

/** Whether one device becomes the other by turning what is not fixed. */
function turns(was: Device, now: Device): boolean {
  const { params: before, ...rest } = was;
  const { params: after, ...others } = now;
  if (!same(rest, others)) return false;
  const declaration = declarationOf(now.type);
  if (!declaration) return same(before, after);
  const [a, b] = [completeParams(declaration, before), completeParams(declaration, after)];
  return declaration.params.every((p) => !p.fixed || a[p.id] === b[p.id]);
}

/** The session with its levels changed; everything else stays the same objects. */
export function withLevels(session: Session, changes: readonly LevelChange[]): Session {
  if (changes.length === 0) return session;
  const byTrack = new Map(changes.map((c) => [c.track, c]));
  return {
    ...session,
    tracks: session.tracks.map((track) => {
      const change = byTrack.get(track.id);
      if (!change) return track;
      const { sends = {}, params = {}, faderDb = track.faderDb, pan = track.pan, mute = track.mute } = change;
      const [ofSend, ofDevice] = [new Map(Object.entries(sends)), new Map(Object.entries(params))];
      return {
        ...track,
        faderDb,
        pan,
        mute,
        sends: track.sends.map((s) => (ofSend.has(s.id) ? { ...s, gainDb: ofSend.get(s.id) ?? s.gainDb } : s)),
        devices: track.devices.map((d) => (ofDevice.has(d.id) ? { ...d, params: ofDevice.get(d.id) ?? d.params } : d)),
      };
    }),
  };
}

const same = (a: unknown, b: unknown): boolean => a === b || JSON.stringify(a) === JSON.stringify(b);
