import type { Carries } from "./carries";
import { Losses } from "./loss";
import type { Loss } from "./loss";
import type { Timeline, TimelineClip, TimelineFade, TimelineLane, TimelinePoint, TimelineTrack } from "./timeline";
import { NO_FADE } from "./timeline";

/** A timeline as a file will hold it, and what became of it on the way. */
export interface Fitted {
  readonly timeline: Timeline;
  readonly losses: readonly Loss[];
}

/**
 * Takes off a timeline what a kind of file has no place for. Writing the result and reading it back gives it again.
 */
export function fit(timeline: Timeline, carries: Carries): Fitted {
  const losses = new Losses();
  const takesTrack = ({ kind }: TimelineTrack) =>
    kind === "audio" ? carries.audio : kind === "notes" ? carries.notes : carries.routing;
  for (const track of timeline.tracks.filter((t) => !takesTrack(t))) leaveTrack(track, losses);
  const kept = timeline.tracks.filter(takesTrack);
  const ids = new Set(kept.map((t) => t.id));
  const tracks = kept.map((track) => fitTrack(track, ids, carries, losses));
  const used = new Set(tracks.flatMap((t) => t.clips.map((c) => c.media)));
  const { tempo, meter, markers } = timeline;
  if (tempo && !carries.tempo) losses.add("tempo", "left out");
  if (meter && !carries.meter) losses.add("meter", "left out");
  if (markers.length > 0) losses.add("markers", carries.markers ? "kept" : "left out", "", markers.length);
  if (tempo && carries.tempo) losses.add("tempo", "kept", "", tempo.length);
  if (meter && carries.meter) losses.add("meter", "kept", "", meter.length);
  return {
    timeline: {
      ...timeline,
      tempo: carries.tempo ? tempo : null,
      meter: carries.meter ? meter : null,
      leadIn: carries.leadIn ? timeline.leadIn : 0,
      markers: carries.markers ? markers : [],
      startFrames: carries.startTime ? timeline.startFrames : 0,
      frameRate: carries.startTime ? timeline.frameRate : null,
      media: timeline.media.filter((m) => used.has(m.id)),
      tracks,
    },
    losses: losses.list,
  };
}

function leaveTrack({ kind, name, clips, notes, devices }: TimelineTrack, losses: Losses): void {
  if (kind === "audio") losses.add("clips", "left out", name, clips.length);
  if (kind === "notes") {
    losses.add(
      "notes",
      "left out",
      name,
      notes.reduce((n, c) => n + c.notes.length, 0),
    );
    losses.add("instruments", "left out", name, devices.filter((d) => d.isInstrument).length);
  }
  if (kind === "group") losses.add("groups", "left out", name);
  if (kind === "return") losses.add("returns", "left out", name);
  if (kind === "mix" && devices.some((d) => d.isOn)) losses.add("the mix's chain", "left out");
}

const STEREO_PAN = "pan of a stereo track";

function fitTrack(track: TimelineTrack, ids: ReadonlySet<string>, carries: Carries, losses: Losses): TimelineTrack {
  const { name } = track;
  const clips = track.clips.map((c) => fitClip(c, name, carries, losses));
  losses.add("clips", "kept", name, clips.length);
  losses.add(
    "notes",
    "kept",
    name,
    track.notes.reduce((n, c) => n + c.notes.length, 0),
  );
  const output = track.output !== null && carries.routing && ids.has(track.output) ? track.output : null;
  const sends = carries.sends ? track.sends.filter((s) => ids.has(s.to)) : [];
  losses.add("sends", "left out", name, track.sends.length - sends.length);
  losses.add("sends", "kept", name, sends.length);
  const takesPan = carries.pan.includes(track.channels === 1 ? 1 : 2);
  const known = track.lanes.filter(
    ({ target }) =>
      carries.lanes.includes(target) && (target === "pan" ? takesPan : target !== "send" || carries.sends),
  );
  for (const lane of track.lanes.filter((l) => !known.includes(l)))
    losses.add("automation", "left out", name, 1, lane.target === "pan" && carries.pan.length > 0 ? STEREO_PAN : "");
  const lanes = known.map((l) => (carries.lanesIn === "gains" ? straightInGain(l) : l));
  const inGains = lanes.map((l, i) => l.points.length !== known[i]?.points.length);
  const approximated = lanes.map((l, i) => howNear(l, inGains[i] === true));
  losses.add("automation", "kept", name, approximated.filter((a) => a === null).length);
  for (const near of approximated) if (near !== null) losses.add("automation", "approximated", name, 1, near);
  const devices = carries.devices ? track.devices : [];
  losses.add("devices", "left out", name, track.devices.length - devices.length);
  const flag = (part: "faders" | "pans" | "mutes", isSet: boolean, isKept: boolean, why = "") => {
    if (isSet) losses.add(part, isKept ? "kept" : "left out", name, 1, isKept ? "" : why);
  };
  flag("faders", track.faderDb !== 0, carries.fader);
  flag("pans", track.pan !== 0, takesPan, carries.pan.length > 0 ? STEREO_PAN : "");
  flag("mutes", track.mute, carries.mute);
  return {
    ...track,
    clips,
    output,
    sends,
    lanes: lanes.map(({ target, send, points }) => ({ target, send, points })),
    devices,
    faderDb: carries.fader ? track.faderDb : 0,
    pan: takesPan ? track.pan : 0,
    mute: carries.mute && track.mute,
  };
}

/** How near a lane comes to what it was, which bounds how its lines are divided; null: it is the same. */
function howNear({ target, isCurved }: TimelineLane, isInGains: boolean): string | null {
  if (isInGains) return "straight lines in gain, within 0.05 dB";
  if (isCurved !== true) return null;
  return `curves as straight lines, within ${target === "pan" ? "0.2 % of the pan" : "0.02 dB"}`;
}

/** How far a line that is straight in gain may leave one that is straight in decibels. */
const LANE_TOLERANCE_DB = 0.05;
const MOST_LINES = 256;

/** A lane whose lines are so short that straight in gain is straight in decibels, nearly. */
function straightInGain(lane: TimelineLane): TimelineLane {
  if (lane.target !== "fader" && lane.target !== "send") return lane;
  const points = lane.points.flatMap((point, i): readonly TimelinePoint[] => {
    const next = lane.points[i + 1];
    if (!next || point.shape === "hold" || next.value === point.value) return [point];
    const lines = Math.min(MOST_LINES, next.frame - point.frame, linesFor(Math.abs(next.value - point.value)));
    return Array.from({ length: lines }, (_, k) => ({
      frame: point.frame + Math.round(((next.frame - point.frame) * k) / lines),
      // To a thousandth of a decibel, which comes back from a gain whatever that is written as.
      value: Math.round((point.value + ((next.value - point.value) * k) / lines) * 1e3) / 1e3,
      shape: "linear" as const,
    }));
  });
  return { ...lane, points };
}

/**
 * How many lines a change of so many decibels needs. The chord of an exponential over d decibels leaves it by about
 * d² ln(10) / 160 decibels in its middle.
 */
const linesFor = (db: number): number => Math.max(1, Math.ceil(db * Math.sqrt(Math.LN10 / 160 / LANE_TOLERANCE_DB)));

function fitClip(clip: TimelineClip, track: string, carries: Carries, losses: Losses): TimelineClip {
  const shapes = clip.crossfade ? carries.crossfades : carries.fades;
  const shaped = (fade: TimelineFade): TimelineFade => {
    if (fade.frames === 0) return NO_FADE;
    if (shapes.includes(fade.shape) && carries.fades.includes(fade.shape)) return fade;
    losses.add("curved fades", "approximated", track);
    return { ...fade, shape: "linear" };
  };
  if (clip.gainDb !== 0) losses.add("clip gain", carries.clipGain ? "kept" : "left out", track);
  return {
    ...clip,
    gainDb: carries.clipGain ? clip.gainDb : 0,
    channel: carries.channelPicks ? clip.channel : null,
    fadeIn: shaped(clip.fadeIn),
    fadeOut: shaped(clip.fadeOut),
  };
}
