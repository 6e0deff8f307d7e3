import { curveOf } from "../engine/automation";
import { placedNotes } from "../session/clips";
import type { Automation, Device, NoteClip, Session, Track } from "../session/document";
import type { Carries } from "../timeline/carries";
import type { Loss } from "../timeline/loss";
import { Losses } from "../timeline/loss";
import { fit } from "../timeline/fit";
import type {
  Timeline,
  TimelineClip,
  TimelineDevice,
  TimelineLane,
  TimelineNoteClip,
  TimelinePoint,
  TimelineTrack,
} from "../timeline/timeline";
import { FRAME_RATES, NO_FADE, plainTrack } from "../timeline/timeline";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { declarationOf } from "../devices/catalogue";
import { panGains } from "../engine/channel";
import { gainToDb } from "../math";
import type { SessionFilePlan } from "./plan";
import type { MediaSource, PrintFacts } from "./media-library";
import { MediaLibrary } from "./media-library";
import type { Piece } from "./pieces";

export interface SessionTimeline {
  readonly timeline: Timeline;
  readonly losses: readonly Loss[];
  /** Where the audio of each of its media comes from, in the same order. */
  readonly sources: readonly MediaSource[];
}

/** A session as a timeline that fits the file it is for, its prints being made. */
export function toTimeline(plan: SessionFilePlan, prints: ReadonlyMap<string, PrintFacts>): SessionTimeline {
  const { session, carries, options } = plan;
  const losses = new Losses();
  const library = new MediaLibrary(session, prints, options);
  const tracks = plan.tracks.flatMap((planned): readonly TimelineTrack[] => {
    const { track, below } = planned;
    const where = track.name;
    if (planned.how === "left out") {
      if (planned.why === "parked") losses.add("parked tracks", "left out", where);
      if (planned.why === "muted") losses.add("muted tracks", "left out", where);
      return planned.why === "empty" ? [channelOf(session, track, losses, below)] : [];
    }
    losses.add("muted clips", "left out", where, below ? 0 : track.clips.filter((c) => c.muted).length);
    losses.add("takes", "left out", where, below ? 0 : track.takes.length);
    if (planned.how === "routing") return [routingOf(session, track, losses)];
    if (planned.how === "notes") return [notesOf(session, track, losses, below, carries.audio)];
    const clips = planned.how === "clips" ? clipsOf(planned.pieces, where, library, losses) : [];
    if (planned.how === "print" || planned.how === "frozen") {
      const name = track.name || "Track";
      const id = planned.how === "print" ? library.print(planned.print, name) : library.asset(planned.asset);
      const media = library.frames(id);
      if (media > 0) clips.push(plainClip(name, id, 0, media));
      if (planned.how === "frozen") losses.add("freezes", "kept", where);
      else losses.add(track.kind === "instrument" ? "instruments" : "devices", "printed to audio", where);
      if (planned.how === "print" && planned.at === "channel") {
        losses.add("faders", "printed to audio", where);
        losses.add("automation", "printed to audio", where, track.automation.length);
        losses.add("sends", "left out", where, track.sends.length);
        return laidOut(plainTrack({ id: track.id, name, kind: "audio" }), clips, library, losses, carries);
      }
    }
    const channel = channelOf(session, track, losses, below);
    const isPrinted = planned.how !== "clips";
    return laidOut({ ...channel, devices: isPrinted ? [] : channel.devices }, clips, library, losses, carries);
  });
  if (session.ranges.length > 0) losses.add("ranges", "left out", "", session.ranges.length);
  if (session.sheet.rows.length > 0) losses.add("the stem sheet", "left out");
  const sided = tracks.flatMap((t) =>
    options.stereo === "two mono" || takesPanAsLevels(t, carries) ? twoMono(t, library, losses) : [t],
  );
  const { numerator, denominator } = FRAME_RATES[options.frameRate];
  const tempo = tempoMap(session.tempo, session.rate);
  const fitted = fit(
    {
      name: session.name,
      rate: session.rate,
      startFrames: Math.round((options.startPictureFrames * denominator * session.rate) / numerator),
      frameRate: FRAME_RATES[options.frameRate],
      tempo: session.tempo,
      meter: session.meter,
      leadIn: session.leadIn,
      markers: session.markers
        .map((m) => ({ name: m.name, frame: tempo.toFrames(m.tick) }))
        .sort((a, b) => a.frame - b.frame),
      media: library.media,
      tracks: sided,
    },
    carries,
  );
  losses.addAll(fitted.losses);
  const consolidated = options.media === "what is played" ? library.cutTo(fitted.timeline) : fitted.timeline;
  return { timeline: consolidated, losses: losses.list, sources: library.sourcesOf(consolidated) };
}

const plainClip = (name: string, media: string, start: Frames, frames: Frames): TimelineClip => ({
  name,
  media,
  channel: null,
  start,
  frames,
  offset: 0,
  gainDb: 0,
  fadeIn: NO_FADE,
  fadeOut: NO_FADE,
  crossfade: false,
});

function clipsOf(
  pieces: readonly (Piece & { readonly print: string | null })[],
  where: string,
  library: MediaLibrary,
  losses: Losses,
): TimelineClip[] {
  return pieces.map((piece) => {
    const { clip, from, to, as, why, fadeIn, fadeOut, print } = piece;
    for (const part of why) losses.add(part, "printed to audio", where);
    const name = clip.name || where;
    const id = print !== null ? library.print(print, name) : library.asset(clip.kind === "audio" ? clip.asset : "");
    return {
      name,
      media: id,
      channel: null,
      start: from,
      frames: piece.rings ? library.frames(id) : to - from,
      offset: print !== null ? 0 : clip.offset + (from - clip.start),
      gainDb: as === "sound" ? 0 : clip.gainDb,
      fadeIn,
      fadeOut,
      crossfade: as !== "sound" && clip.crossfade && fadeIn.frames > 0,
    };
  });
}

/**
 * Clips on as few tracks as need be for none to lie over another but in a crossfade that the file knows: what is left
 * over stands on tracks beside, which sound through the same fader.
 */
function laidOut(
  track: TimelineTrack,
  clips: readonly TimelineClip[],
  library: MediaLibrary,
  losses: Losses,
  carries: Carries,
): readonly TimelineTrack[] {
  const rows: TimelineClip[][] = [[]];
  for (const clip of clips) {
    let put = false;
    for (const row of rows) {
      const last = row.at(-1);
      const lies = !last || last.start + last.frames <= clip.start;
      if (!lies && !isCrossfade(last, clip, carries.crossfades)) continue;
      row.push(lies ? { ...clip, crossfade: false } : clip);
      if (!lies) losses.add("crossfades", "kept", track.name);
      put = true;
      break;
    }
    if (!put) {
      rows.push([{ ...clip, crossfade: false }]);
      losses.add("layered clips", "approximated", track.name);
    }
  }
  const isMono = (c: TimelineClip) => library.channels(c.media) === 1;
  return rows.map((row, i) => ({
    ...track,
    channels: row.length > 0 && row.every(isMono) ? 1 : 2,
    id: i === 0 ? track.id : `${track.id}+${i}`,
    name: i === 0 ? track.name : `${track.name} (${i + 1})`,
    clips: row,
  }));
}

function isCrossfade(
  last: TimelineClip,
  clip: TimelineClip,
  shapes: readonly TimelineClip["fadeIn"]["shape"][],
): boolean {
  const shared = last.start + last.frames - clip.start;
  return (
    clip.crossfade &&
    last.start + last.fadeIn.frames <= clip.start &&
    shared === clip.fadeIn.frames &&
    shared === last.fadeOut.frames &&
    shared < clip.frames &&
    last.fadeOut.shape === clip.fadeIn.shape &&
    shapes.includes(clip.fadeIn.shape)
  );
}

const outputOf = (session: Session, track: Track): string | null => {
  const to = session.tracks.find((t) => t.id === track.output);
  return to && to.kind !== "mix" && !to.parked ? to.id : null;
};

/** What is set on a track. */
function channelOf(session: Session, track: Track, losses: Losses, below: boolean): TimelineTrack {
  const sends = below ? [] : track.sends.filter((s) => !session.tracks.find((t) => t.id === s.to)?.parked);
  if (!below) losses.add("device automation", "left out", track.name, track.automation.filter(isOfDevice).length);
  return plainTrack({
    id: below ? `${track.id}-raw` : track.id,
    name: below ? `${track.name} raw` : track.name,
    kind: "audio",
    output: outputOf(session, track),
    faderDb: track.faderDb,
    pan: track.pan,
    mute: below || track.mute,
    sends: sends.map(({ to, gainDb, position }) => ({ to, gainDb, position })),
    lanes: below ? [] : lanesOf(session, track, sends),
    devices: track.devices.map((d, i) => deviceOf(d, track.kind === "instrument" && i === 0)),
  });
}

const isOfDevice = (lane: Automation): boolean => lane.target === "param";

function routingOf(session: Session, track: Track, losses: Losses): TimelineTrack {
  const kind = track.kind === "mix" ? "mix" : track.kind === "return" ? "return" : "group";
  return { ...channelOf(session, track, losses, false), kind };
}

function notesOf(session: Session, track: Track, losses: Losses, below: boolean, hasAudio: boolean): TimelineTrack {
  const phrases = new Map(session.phrases.map((p) => [p.id, p]));
  const placed = track.clips.filter((c): c is NoteClip => c.kind === "notes" && !c.muted);
  const notes = placed.map((clip): TimelineNoteClip => {
    const phrase = phrases.get(clip.phrase);
    if (clip.loop) losses.add("looped phrases", "approximated", track.name);
    return {
      name: clip.name,
      start: clip.start,
      ticks: clip.ticks,
      notes: (phrase ? placedNotes(clip, phrase) : []).map(({ start, end, pitch, velocity }) => ({
        tick: start - clip.start,
        ticks: end - start,
        pitch,
        velocity,
      })),
    };
  });
  const channel = channelOf(session, track, losses, below);
  return {
    ...channel,
    id: below ? `${track.id}-notes` : track.id,
    name: below ? `${track.name} notes` : track.name,
    kind: "notes",
    mute: hasAudio || track.mute,
    notes: notes.sort((a, b) => a.start - b.start),
  };
}

/** A device as others see it. What it plays of audio is not in it: that would have to travel, too. */
const deviceOf = ({ type, on, params }: Device, isInstrument: boolean): TimelineDevice => ({
  name: declarationOf(type)?.name ?? type,
  isInstrument,
  isOn: on,
  state: JSON.stringify({ type, params }),
});

function lanesOf(session: Session, track: Track, sends: readonly { readonly id: string }[]): readonly TimelineLane[] {
  return track.automation.flatMap((lane): readonly TimelineLane[] => {
    if (lane.target === "param") return [];
    const send = lane.target === "send" ? sends.findIndex((s) => s.id === lane.of) : null;
    if (send === -1) return [];
    const made = { target: lane.target, send, points: pointsOf(session, lane) };
    const isCurved = lane.target !== "mute" && lane.points.some((p) => p.shape === "curved" && p.bend !== 0);
    return [isCurved ? { ...made, isCurved } : made];
  });
}

/** A curve is told as straight lines that leave it by no more than this, in the value's own unit. */
const CURVE_TOLERANCE = { fader: 0.02, send: 0.02, pan: 0.002, mute: 0.01, param: 0 } as const;
const MOST_BENDS = 64;

function pointsOf(session: Session, lane: Automation): readonly TimelinePoint[] {
  const tempo = tempoMap(session.tempo, session.rate);
  const curve = curveOf(lane, tempo);
  const made: TimelinePoint[] = [];
  lane.points.forEach((point, i) => {
    const next = lane.points[i + 1];
    const frame = tempo.toFrames(point.tick);
    made.push({ frame, value: point.value, shape: point.shape === "hold" ? "hold" : "linear" });
    if (point.shape !== "curved" || point.bend === 0 || !next) return;
    const end = tempo.toFrames(next.tick);
    const steps = bendsOf(curve, frame, end, CURVE_TOLERANCE[lane.target]);
    for (let k = 1; k < steps; k++) {
      const at = frame + Math.round(((end - frame) * k) / steps);
      if (at > (made.at(-1)?.frame ?? 0) && at < end) made.push({ frame: at, value: curve(at), shape: "linear" });
    }
  });
  return lane.target === "mute" ? switched(made) : made;
}

/** What is above a half is shut, below it is open: where that changes, and nothing between. */
function switched(points: readonly TimelinePoint[]): readonly TimelinePoint[] {
  const made: TimelinePoint[] = [];
  const put = (frame: Frames, isShut: boolean) => {
    if (made.at(-1)?.value === (isShut ? 1 : 0)) return;
    made.push({ frame, value: isShut ? 1 : 0, shape: "hold" });
  };
  points.forEach(({ frame, value, shape }, i) => {
    put(frame, value >= 0.5);
    const next = points[i + 1];
    if (!next || shape === "hold" || value >= 0.5 === next.value >= 0.5) return;
    put(frame + Math.round(((0.5 - value) / (next.value - value)) * (next.frame - frame)), next.value >= 0.5);
  });
  return made;
}

/** Into how many straight lines a curve has to be divided to stay close to it. */
function bendsOf(curve: (frame: Frames) => number, from: Frames, to: Frames, tolerance: number): number {
  for (let steps = 2; steps < MOST_BENDS; steps *= 2) {
    let worst = 0;
    for (let k = 0; k < steps; k++) {
      const a = from + ((to - from) * k) / steps;
      const b = from + ((to - from) * (k + 1)) / steps;
      for (const x of [0.25, 0.5, 0.75])
        worst = Math.max(worst, Math.abs(curve(a + (b - a) * x) - (curve(a) + (curve(b) - curve(a)) * x)));
    }
    if (worst <= tolerance) return steps;
  }
  return MOST_BENDS;
}

/** A fader that is down. */
const OFF_DB = -144;

/** Whether a kind of file has no pan for a stereo track, but has one for each of its sides. */
const takesPanAsLevels = ({ kind, channels, pan, lanes }: TimelineTrack, carries: Carries): boolean =>
  kind === "audio" &&
  channels === 2 &&
  pan !== 0 &&
  !carries.pan.includes(2) &&
  carries.pan.includes(1) &&
  !lanes.some((l) => l.target === "pan");

/**
 * A track of two channels as two of one, to the left and to the right. Its pan becomes the levels of the two; where the
 * pan is automated, the automation is left out.
 */
function twoMono(track: TimelineTrack, library: MediaLibrary, losses: Losses): readonly TimelineTrack[] {
  if (track.kind !== "audio" || track.clips.every((c) => library.channels(c.media) === 1))
    return [{ ...track, channels: track.kind === "audio" && track.clips.length > 0 ? 1 : track.channels }];
  const lanes = track.lanes.filter((l) => l.target !== "pan");
  losses.add("automation", "left out", track.name, track.lanes.length - lanes.length, "pan of a stereo track");
  if (track.pan !== 0) losses.add("pans", "kept", track.name, 1, "as the levels of its two mono tracks");
  const gains = panGains(track.pan);
  return ([0, 1] as const).map((channel) => {
    const panDb = gainToDb(gains[channel]);
    const turned = (db: number) => Math.max(OFF_DB, db + panDb);
    return {
      ...track,
      id: `${track.id}/${channel}`,
      name: `${track.name} ${channel === 0 ? "L" : "R"}`,
      channels: 1,
      pan: channel === 0 ? -1 : 1,
      ...(track.pan === 0 ? {} : { panInLevels: track.pan }),
      faderDb: turned(track.faderDb),
      lanes: lanes.map((lane) =>
        lane.target === "fader"
          ? { ...lane, points: lane.points.map((p) => ({ ...p, value: turned(p.value) })) }
          : lane,
      ),
      clips: track.clips.map((c) => ({ ...c, media: library.side(c.media, channel) })),
    };
  });
}
