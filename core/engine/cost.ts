import { clipSpan, devicesOf } from "../session/clips";
import type { Device, Session, Track } from "../session/document";
import { feeds } from "../session/routing";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { contentEnd, playedNotes } from "./source";

/**
 * Rough costs, only for balance: a part that is too long makes a pass slower, never different. In tenths of a thousandth of a processor, as
 * measured over noise and chords. Measuring, packing and hashing a tap's file is one of the dearer things there are.
 */
export const TAP_COST = 18;
const TRACK = 4;
/** Of one signal that is added to others. */
const INFLOW = 0.8;
/** Of effects while something passes them. */
const EFFECTS: Readonly<Record<string, number>> = {
  eq: 6, filter: 14, compressor: 8, gate: 7, limiter: 9, saturator: 60, delay: 15, reverb: 55, convolution: 250, chorus: 45, tremolo: 14, pitch: 40, utility: 4,
};
const OTHER_EFFECT = 20;
/** Of instruments, a voice that sounds all the time; the synthesiser's depends on how it is set. */
const VOICES: Readonly<Record<string, number>> = { fm: 30, string: 5, bars: 6, kit: 60, sampler: 30 };
const OTHER_VOICE = 15;
const DEFAULT_RELEASE_S = 0.4;
/** Of taking an oversampled voice back to the rate; shared by all that sound, of which there are a few. */
const OVERSAMPLED = 3;

/** What each track costs to compute, without what feeds it. */
export function trackCosts(session: Session): ReadonlyMap<string, number> {
  const tempo = tempoMap(session.tempo, session.rate);
  const end: Frames = Math.max(1, ...session.tracks.filter((t) => !t.parked).map((t) => contentEnd(session, t, tempo)));
  const cost = (track: Track): number => {
    const inflows = track.kind === "group" || track.kind === "return" || track.kind === "mix" ? feeds(session, track).length : 0;
    const plain = TRACK + INFLOW * inflows;
    if (track.frozen) return plain;
    const clips = track.clips.reduce((sum, c) => sum + clipSpan(c, tempo).to - clipSpan(c, tempo).from, 0);
    // What sums others is taken to sound throughout.
    const sounding = track.kind === "audio" || track.kind === "instrument" ? Math.min(1, clips / end) : 1;
    const [first] = track.devices;
    const instrument = track.kind === "instrument" && first ? voiceCost(first) * voicesOf(first, track) : 0;
    const effects = devicesOf(track).filter((d) => track.kind !== "instrument" || d !== first);
    return plain + instrument + sounding * effects.reduce((sum, d) => sum + (d.on ? (EFFECTS[d.type] ?? OTHER_EFFECT) : 0), 0);
  };
  /** How many voices sound at once, on the average. */
  const voicesOf = (device: Device, track: Track) => {
    const release = (device.params["releaseS"] ?? DEFAULT_RELEASE_S) * session.rate;
    return playedNotes(session, track, tempo).reduce((sum, n) => sum + n.frames + release, 0) / end;
  };
  return new Map(session.tracks.map((t) => [t.id, cost(t)]));
}

function voiceCost(device: Device): number {
  if (!device.on) return 0;
  if (device.type !== "synth") return VOICES[device.type] ?? OTHER_VOICE;
  const over = Math.max(1, device.params["oversample"] ?? 2);
  return over * (6.5 + 0.6 * (device.params["unison"] ?? 5)) + (over > 1 ? OVERSAMPLED : 0);
}
