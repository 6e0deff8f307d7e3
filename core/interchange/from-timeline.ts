import { catalogue, declarationOf } from "../devices/catalogue";
import { programByName } from "../instruments/general-midi";
import { makeAudioClip, makeDevice, makeNoteClip, makeSend, makeSession, makeTrack } from "../session/build";
import type { Asset, Automation, Clip, Device, Phrase, Session, Track } from "../session/document";
import type { Loss } from "../timeline/loss";
import { Losses } from "../timeline/loss";
import type {
  Timeline,
  TimelineClip,
  TimelineDevice,
  TimelineFade,
  TimelineLane,
  TimelineNoteClip,
  TimelineTrack,
} from "../timeline/timeline";
import { tempoMap } from "../time/tempo";
import type { Bpm, Frames } from "../units";
import { RATES } from "../units";

/**
 * What was found of a timeline's media: audio in the store at the session's rate, or one that stands for what is
 * missing.
 */
export interface FoundMedia {
  readonly asset: Asset;
  readonly isMissing: boolean;
}

/** By which found media are looked up: a file, or one channel of it. */
export const mediaKey = (media: string, channel: number | null): string =>
  channel === null ? media : `${media}#${channel}`;

export interface OpenedTimeline {
  readonly session: Session;
  readonly losses: readonly Loss[];
}

/**
 * The rate that a session gets from a timeline: its own, or of those that a session may have the one that loses least.
 */
export function sessionRateOf({ rate, media }: Timeline): number {
  const isLegal = (r: number) => RATES.some((legal) => legal === r);
  if (isLegal(rate)) return rate;
  const votes = new Map<number, number>();
  for (const m of media) if (isLegal(m.rate)) votes.set(m.rate, (votes.get(m.rate) ?? 0) + 1);
  const [most] = [...votes].sort((a, b) => b[1] - a[1]);
  return most?.[0] ?? (RATES.find((r) => r % rate === 0 || rate % r === 0) as number | undefined) ?? 48000;
}

const LONGEST: Frames = 1099511627776;
const MOST_NOTES = 100_000;

/** A timeline at a tempo that a person states, from its beginning to its end; null: at its own. */
export const atTempo = (timeline: Timeline, bpm: Bpm | null): Timeline =>
  bpm === null ? timeline : { ...timeline, tempo: [{ tick: 0, bpm, shape: "hold" }] };

/**
 * A session of its own from a timeline. `found`: its media by `mediaKey`; clips of what is not there are left out.
 * `rate`: the session's. Nothing is dropped without a word in the losses.
 */
export function fromTimeline(
  timeline: Timeline,
  found: ReadonlyMap<string, FoundMedia>,
  {
    newId,
    rate = sessionRateOf(timeline),
    onTrack,
  }: {
    readonly newId: () => string;
    readonly rate?: number;
    /** Told which track of the session each of the timeline's becomes, by their ids. */
    readonly onTrack?: (was: string, is: string) => void;
  },
): OpenedTimeline {
  const losses = new Losses();
  const at = (frame: Frames): Frames => {
    if (rate === timeline.rate) return clamped(frame);
    const exact = (frame * rate) / timeline.rate;
    if (!Number.isInteger(exact)) losses.add("places between frames", "approximated");
    return clamped(Math.round(exact));
  };
  const tempo = timeline.tempo && timeline.tempo.length > 0 ? timeline.tempo : PLAIN_TEMPO;
  const map = tempoMap(tempo, rate);
  const placeOf: PlaceOf = (frame) => {
    const tick = map.toTicks(at(frame));
    return { tick, offFrames: Math.abs(map.toFrames(tick) - at(frame)) };
  };
  const mixTrack = timeline.tracks.find((t) => t.kind === "mix");
  const mixId = newId();
  const ids = new Map(timeline.tracks.map((t) => [t.id, t === mixTrack ? mixId : newId()]));
  for (const [was, is] of ids) onTrack?.(was, is);
  const kinds = new Map(timeline.tracks.map((t) => [t.id, t.kind]));
  const phrases = new Map<string, Phrase>();
  const tracks = timeline.tracks
    .filter((t) => t !== mixTrack && t.kind !== "mix")
    .map((track): Track => {
      if (track.output !== null && track.output !== mixTrack?.id && kinds.get(track.output) !== "group")
        losses.add("groups", "left out", track.name, 1, "it runs into the mix");
      if (track.name.length > LONGEST_NAME) losses.add("names", "approximated", track.name.slice(0, LONGEST_NAME));
      const output = track.output === null ? null : kinds.get(track.output) === "group" ? ids.get(track.output) : null;
      const sends = track.sends.flatMap((s) => {
        const to = kinds.get(s.to) === "return" ? ids.get(s.to) : undefined;
        if (to === undefined) losses.add("sends", "left out", track.name);
        return to === undefined ? [] : [makeSend(newId(), to, gain(s.gainDb), s.position)];
      });
      return makeTrack({
        id: ids.get(track.id) ?? newId(),
        name: track.name.slice(0, 200),
        kind: track.kind === "notes" ? "instrument" : track.kind,
        output: output ?? mixId,
        program: track.kind === "notes" ? (track.program ?? programOfAbsent(track)) : null,
        ...settingsOf(track, sends, losses, placeOf, newId),
        clips: [
          ...track.clips.flatMap((c) => clipOf(c, track, found, at, losses, newId)),
          ...track.notes.flatMap((n) => noteClipOf(n, track, phrases, losses, newId)),
        ],
      });
    });
  for (const other of timeline.tracks)
    if (other.kind === "mix" && other !== mixTrack)
      losses.add("what it holds beside sound", "left out", other.name, 1, "another mix");
  if (mixTrack) losses.add("clips", "left out", mixTrack.name, mixTrack.clips.length, "on the mix");
  if (mixTrack) losses.add("notes", "left out", mixTrack.name, mixTrack.notes.length, "on the mix");
  const mix = makeTrack({
    id: mixId,
    name: mixTrack?.name ?? "Mix",
    kind: "mix",
    ...(mixTrack ? settingsOf(mixTrack, [], losses, placeOf, newId) : {}),
    pan: 0,
    mute: false,
  });
  const leadIn = timeline.meter ? Math.min(timeline.leadIn, 1_000_000) : 0;
  if (leadIn !== timeline.leadIn) losses.add("meter", "approximated", "", 1, "where bar 1 stands");
  const used = new Set(tracks.flatMap((t) => t.clips.flatMap((c) => (c.kind === "audio" ? [c.asset] : []))));
  const assets = new Map([...found.values()].map((f) => [f.asset.id, f.asset]));
  return {
    losses: losses.list,
    session: makeSession({
      name: timeline.name.trim().slice(0, 200) || "Untitled",
      rate: rate as Session["rate"],
      leadIn,
      tempo,
      ...(timeline.meter && timeline.meter.length > 0 ? { meter: timeline.meter } : {}),
      markers: timeline.markers.map((m) => ({
        id: newId(),
        name: m.name.slice(0, 200),
        tick: map.toTicks(at(m.frame)),
      })),
      phrases: [...phrases.values()],
      assets: [...assets.values()].filter((a) => used.has(a.id)),
      tracks: [...tracks, mix],
    }),
  };
}

const LONGEST_NAME = 200;
const PLAIN_TEMPO = [{ tick: 0, bpm: 120, shape: "hold" }] as const;
const clamped = (frame: Frames): Frames => Math.max(0, Math.min(LONGEST, frame));
const [LEAST_DB, MOST_DB] = [-144, 24];
const gain = (db: number): number => Math.max(LEAST_DB, Math.min(MOST_DB, db));
/** What lies outside of what a session holds is held at its end, and told; below the bottom there is silence anyway. */
const isHeld = (db: number): boolean => db > MOST_DB;

function clipOf(
  clip: TimelineClip,
  track: TimelineTrack,
  found: ReadonlyMap<string, FoundMedia>,
  at: (frame: Frames) => Frames,
  losses: Losses,
  newId: () => string,
): readonly Clip[] {
  const media = found.get(mediaKey(clip.media, clip.channel));
  // Only tracks of audio play clips of it.
  if (!media || track.kind !== "audio") {
    losses.add("clips", "left out", track.name);
    return [];
  }
  if (media.isMissing) losses.add("missing media", "approximated", track.name, 1, media.asset.name);
  const start = at(clip.start);
  const end = at(clip.start + clip.frames);
  const offset = at(clip.offset);
  const frames = Math.min(end - start, media.asset.frames - offset);
  if (frames < 1) {
    losses.add("clips", "left out", track.name, 1, "nothing of their files is there");
    return [];
  }
  if (frames < end - start) losses.add("clips", "approximated", track.name, 1, "their files end before they do");
  const fade = ({ frames: length, shape }: TimelineFade, most: Frames) => ({
    frames: Math.min(at(length), most),
    shape,
  });
  const fadeIn = fade(clip.fadeIn, frames);
  const fadeOut = fade(clip.fadeOut, frames - fadeIn.frames);
  if (fadeIn.frames < at(clip.fadeIn.frames) || fadeOut.frames < at(clip.fadeOut.frames))
    losses.add("fades", "approximated", track.name, 1, "they are longer than their clips");
  if (isHeld(clip.gainDb)) losses.add("clip gain", "approximated", track.name, 1, `held at +${MOST_DB} dB`);
  losses.add("clips", "kept", track.name);
  return [
    makeAudioClip({
      id: newId(),
      name: clip.name.slice(0, 200),
      asset: media.asset.id,
      start,
      frames,
      offset,
      gainDb: gain(clip.gainDb),
      fadeIn,
      fadeOut,
      crossfade: clip.crossfade,
      muted: clip.muted === true,
    }),
  ];
}

/** Phrases that are the same are one, placed several times. */
function noteClipOf(
  clip: TimelineNoteClip,
  track: TimelineTrack,
  phrases: Map<string, Phrase>,
  losses: Losses,
  newId: () => string,
): readonly Clip[] {
  const notes = clip.notes
    .filter((n) => n.tick >= 0 && n.tick < clip.ticks)
    .slice(0, MOST_NOTES)
    .map((n) => ({
      tick: n.tick,
      ticks: Math.max(1, n.ticks),
      pitch: Math.max(0, Math.min(127, n.pitch)),
      velocity: Math.max(1, Math.min(127, n.velocity)),
    }));
  if (notes.length < clip.notes.length)
    losses.add("notes", "left out", track.name, clip.notes.length - notes.length, "they begin outside of their clips");
  losses.add("notes", "kept", track.name, notes.length);
  const name = (clip.name || track.name).slice(0, 200);
  const key = JSON.stringify([name, clip.ticks, notes]);
  let phrase = phrases.get(key);
  if (!phrase) phrases.set(key, (phrase = { id: newId(), name, ticks: clip.ticks, notes }));
  return [{ ...makeNoteClip(newId(), phrase, clip.start, clip.ticks), muted: clip.muted === true }];
}

/** The tick nearest to a frame of the timeline, and how far from it that is. */
type PlaceOf = (frame: Frames) => { readonly tick: number; readonly offFrames: number };

/** Fader, pan, mute, sends, devices and automation. */
function settingsOf(
  track: TimelineTrack,
  sends: Track["sends"],
  losses: Losses,
  placeOf: PlaceOf,
  newId: () => string,
): Pick<Track, "faderDb" | "pan" | "mute" | "sends" | "devices" | "automation"> {
  if (isHeld(track.faderDb)) losses.add("faders", "approximated", track.name, 1, `held at +${MOST_DB} dB`);
  if (Math.abs(track.pan) > 1) losses.add("pans", "approximated", track.name, 1, "held at the side");
  if (track.kind === "mix" && track.pan !== 0) losses.add("pans", "left out", track.name, 1, "the mix has no pan");
  if (track.kind === "mix" && track.mute) losses.add("mutes", "left out", track.name, 1, "the mix is not muted");
  if (track.kind === "mix" && track.sends.length > 0) losses.add("sends", "left out", track.name, track.sends.length);
  for (const s of track.sends)
    if (isHeld(s.gainDb)) losses.add("sends", "approximated", track.name, 1, `held at +${MOST_DB} dB`);
  const devices = track.devices.flatMap((d) => deviceOf(d, track, losses, newId));
  if (track.kind === "notes" && !track.devices.some((d) => d.isInstrument))
    devices.unshift(makeDevice(newId(), "synth"));
  return {
    faderDb: gain(track.faderDb),
    pan: Math.max(-1, Math.min(1, track.pan)),
    mute: track.mute,
    sends,
    devices,
    automation: track.lanes.flatMap((l) => laneOf(l, track, sends, losses, placeOf, newId)),
  };
}

/** What an instrument asks for that is not here, by its name and the track's; null where there is none such. */
function programOfAbsent({ name, devices }: TimelineTrack): Track["program"] {
  const device = devices.find((d) => d.isInstrument && stateOf(d.state) === null);
  return device
    ? { ...programByName(device.name, name), bends: [], wheel: [], device: device.name.slice(0, LONGEST_NAME) }
    : null;
}

function deviceOf(device: TimelineDevice, track: TimelineTrack, losses: Losses, newId: () => string): Device[] {
  const known = stateOf(device.state);
  const declared = known && declarationOf(known.type);
  if (!known || !declared) {
    losses.add("devices", "left out", track.name, 1, device.name);
    return device.isInstrument && track.kind === "notes" ? [makeDevice(newId(), "synth")] : [];
  }
  const params = Object.fromEntries(
    declared.params.flatMap(({ id, min, max }) => {
      const value = known.params[id];
      return typeof value === "number" && value >= min && value <= max ? [[id, value]] : [];
    }),
  );
  const lost = Object.keys(known.params).filter((id) => !(id in params)).length;
  losses.add("devices", lost > 0 ? "approximated" : "kept", track.name, 1, device.name);
  return [{ ...makeDevice(newId(), known.type, params), on: device.isOn }];
}

/** A device's state as this program writes it; null for anything else. */
function stateOf(text: string): { readonly type: string; readonly params: Readonly<Record<string, unknown>> } | null {
  try {
    const state: unknown = JSON.parse(text);
    if (typeof state !== "object" || state === null) return null;
    const { type, params } = state as { type?: unknown; params?: unknown };
    if (typeof type !== "string" || !catalogue.some((d) => d.type === type)) return null;
    return { type, params: typeof params === "object" && params !== null ? (params as Record<string, unknown>) : {} };
  } catch {
    return null;
  }
}

function laneOf(
  { target, send, points }: TimelineLane,
  track: TimelineTrack,
  sends: Track["sends"],
  losses: Losses,
  placeOf: PlaceOf,
  newId: () => string,
): readonly Automation[] {
  const of = target === "send" ? (sends[send ?? -1]?.id ?? null) : null;
  if ((target === "send" && of === null) || (track.kind === "mix" && target !== "fader")) {
    losses.add("automation", "left out", track.name);
    return [];
  }
  const limit = (v: number) => (target === "pan" ? Math.max(-1, Math.min(1, v)) : target === "mute" ? v : gain(v));
  const byTick = new Map<number, Automation["points"][number]>();
  if (points.some((p) => limit(p.value) < p.value || (target === "pan" && limit(p.value) > p.value)))
    losses.add("automation", "approximated", track.name, 1, "held at the end of its range");
  let [moved, farthest] = [0, 0];
  for (const p of points) {
    const { tick, offFrames } = placeOf(p.frame);
    if (offFrames >= 1) moved++;
    farthest = Math.max(farthest, offFrames);
    byTick.set(tick, { tick, value: limit(p.value), shape: p.shape, bend: 0 });
  }
  if (moved > 0)
    losses.add(
      "places between ticks",
      "approximated",
      track.name,
      moved,
      `moved by ${Math.round(farthest)} frames at most`,
    );
  if (byTick.size < points.length)
    losses.add(
      "places between ticks",
      "approximated",
      track.name,
      points.length - byTick.size,
      "points that fall onto one place",
    );
  if (byTick.size === 0) return [];
  losses.add("automation", "kept", track.name);
  return [{ id: newId(), target, of, param: null, points: [...byTick.values()].sort((a, b) => a.tick - b.tick) }];
}
