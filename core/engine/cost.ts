import { declarationOf } from "../devices/catalogue";
import { clipSpan, devicesOf } from "../session/clips";
import type { Device, Session, Track } from "../session/document";
import { feeds } from "../session/routing";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { contentEnd, playedNotes } from "./source";

/**
 * Rough costs, only for balance: a part that is too long makes a pass slower, never different. In tenths of a
 * thousandth of a processor, as measured over noise and chords. Measuring and packing a tap's file is one of the dearer
 * things there are.
 */
export const TAP_COST = 9;
/** Of hashing a tap's file when it is rendered, which any thread may do. */
export const SEAL_COST = 8;
const TRACK = 4;
/** Of one signal that is added to others. */
const INFLOW = 0.8;
/** Of a device that is not installed here: it passes what it gets. */
const ABSENT = 0;
const DEFAULT_RELEASE_S = 0.4;
/**
 * Stretches of the timeline, of equal length, that costs are told for: what plays early does not balance what plays
 * late.
 */
export const STRETCHES = 16;

/** What each track costs to compute in every stretch of the session, without what feeds it. */
export function trackCosts(session: Session): ReadonlyMap<string, Float64Array> {
  const tempo = tempoMap(session.tempo, session.rate);
  const end: Frames = Math.max(1, ...session.tracks.filter((t) => !t.parked).map((t) => contentEnd(session, t, tempo)));
  /** Adds to every stretch the part of it that lies between two frames, times `amount`. */
  const spread = (into: Float64Array, from: Frames, to: Frames, amount: number) => {
    const [a, b] = [(Math.max(0, from) / end) * STRETCHES, (Math.min(end, to) / end) * STRETCHES];
    for (let k = Math.floor(a); k < Math.min(STRETCHES, b); k++)
      into[k] = (into[k] as number) + amount * Math.max(0, Math.min(b, k + 1) - Math.max(a, k));
  };
  const cost = (track: Track): Float64Array => {
    const sums = track.kind === "group" || track.kind === "return" || track.kind === "mix";
    const all = new Float64Array(STRETCHES).fill(TRACK + (sums ? INFLOW * feeds(session, track).length : 0));
    if (track.frozen) return all;
    const [first] = track.devices;
    const effects = devicesOf(track).reduce(
      (sum, d) => sum + (track.kind !== "instrument" || d !== first ? costOf(d) : 0),
      0,
    );
    const sounding = new Float64Array(STRETCHES);
    // What sums others is taken to sound throughout.
    if (sums) sounding.fill(1);
    else
      for (const clip of track.clips)
        if (!clip.muted) spread(sounding, clipSpan(clip, tempo).from, clipSpan(clip, tempo).to, 1);
    sounding.forEach((part, k) => {
      all[k] = (all[k] as number) + effects * Math.min(1, part);
    });
    if (track.kind !== "instrument" || !first) return all;
    const voice = costOf(first);
    const release = (first.params["releaseS"] ?? DEFAULT_RELEASE_S) * session.rate;
    for (const note of playedNotes(session, track, tempo))
      spread(all, note.start, note.start + note.frames + release, voice);
    return all;
  };
  return new Map(session.tracks.map((t) => [t.id, cost(t)]));
}

/** The mean over the whole session. */
export const meanCost = (costs: Float64Array): number => costs.reduce((a, b) => a + b, 0) / STRETCHES;

const costOf = ({ type, on, params }: Device): number => (on ? (declarationOf(type)?.cost(params) ?? ABSENT) : 0);
