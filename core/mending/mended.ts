import { soundOf } from "../session/sound";
import { mediaKey } from "../interchange/from-timeline";
import type { Sheet, Session } from "../session/document";
import { PLAIN_FILE_NAME, PLAIN_FOLDER_NAME } from "../session/plain-names";
import type { Timeline, TimelineTrack } from "../timeline/timeline";
import type { Frames } from "../units";
import type { Judged, Mend } from "./set";

/** A file of a set, as the timeline of what arrived has it. */
export interface SetMember {
  /** By which findings and mends name it: the file, and which channel of many. */
  readonly path: string;
  readonly name: string;
  readonly media: string;
  readonly channel: number | null;
  readonly track: string;
}

/** The files of a timeline that has one on each track. */
export const membersOf = (timeline: Timeline): readonly SetMember[] =>
  timeline.tracks.flatMap(({ id, name, clips: [clip] }) => {
    if (!clip) return [];
    const { media, channel } = clip;
    const path = timeline.media.find((m) => m.id === media)?.path ?? media;
    return [{ path: channel === null ? path : `${path}, channel ${channel + 1}`, name, media, channel, track: id }];
  });

/**
 * A set as its mends leave it: every file at its place, of one length, under its name; what is left out is not there,
 * and the mix lies muted beside it. `frames`: of the set. `firstSound`: of each member, by its path; null: silence.
 * Where a sound would stand before the beginning, all begin as much later.
 */
export function mendedTimeline(
  timeline: Timeline,
  mends: readonly Mend[],
  { mix, rate, frames, lengths, firstSound }: MendedShape,
): Timeline {
  const byPath = new Map(mends.map((m) => [m.path, m]));
  const members = membersOf(timeline);
  const first = members.map(({ path }) => {
    const mend = byPath.get(path);
    const sound = firstSound.get(path);
    return !mend || mend.leaveOut || sound === null || sound === undefined ? 0 : sound + mend.shift;
  });
  const lead = Math.max(0, -Math.min(0, ...first));
  const member = new Map(members.map((m) => [m.track, m]));
  return {
    ...timeline,
    rate,
    startFrames: 0,
    markers: timeline.markers.map((m) => ({ ...m, frame: Math.round((m.frame * rate) / timeline.rate) })),
    tracks: timeline.tracks.flatMap((track): TimelineTrack[] => {
      const { path } = member.get(track.id) ?? {};
      if (path === undefined) return [track];
      const mend = byPath.get(path);
      if (mend?.leaveOut) return [];
      const from = lead + (mend?.shift ?? 0);
      const clips = track.clips.flatMap((c) => {
        const start = Math.max(0, from);
        const end = Math.min(lead + frames, from + (lengths.get(mediaKey(c.media, c.channel)) ?? c.frames));
        if (end <= start) return [];
        return [{ ...c, start, frames: end - start, offset: start - from, gainDb: mend?.gainDb ?? 0 }];
      });
      const name = mend?.name.trim() ?? "";
      return [
        {
          ...track,
          name: name === "" ? track.name : name,
          channels: mend?.mono ? 1 : track.channels,
          mute: path === mix || track.mute,
          clips,
        },
      ];
    }),
  };
}

/** By each member's path, from what is known by its medium. */
export const measuredFirstSound = (
  members: readonly SetMember[],
  of: (key: string) => Frames | null,
): ReadonlyMap<string, Frames | null> => new Map(members.map((m) => [m.path, of(mediaKey(m.media, m.channel))]));

export interface MendedShape {
  /** The path of the mix; null: there is none. */
  readonly mix: string | null;
  /** Of the files as they were judged. */
  readonly rate: number;
  readonly frames: Frames;
  /** Of each medium, at that rate; see `mediaKey`. */
  readonly lengths: ReadonlyMap<string, Frames>;
  readonly firstSound: ReadonlyMap<string, Frames | null>;
}

/** A mended set's sheet: every file as it lies, to the sample, from the common start to the common end. */
export function mendedSheet(session: Session, { depth, mix, mends, findings }: Judged, newId: () => string): Sheet {
  // What is not stated is not put in names.
  const hasTempo = !findings.some((f) => f.kind === "no tempo");
  // What is turned down, resampled or converted does not fit on the steps of 16 bits.
  const isExact =
    mends.every((m) => m.gainDb === 0 && m.drift === null) &&
    !findings.some((f) => f.kind === "other rate" || f.kind === "compressed");
  const stems = session.tracks.filter((t) => t.kind === "audio" && !t.mute && t.clips.length > 0);
  return {
    ...session.sheet,
    rows: stems.map((t) => ({
      id: newId(),
      name: t.name.slice(0, 120),
      sources: [t.id],
      tap: "clip",
      returns: false,
      linked: false,
      channels: "as it is",
      ticked: true,
    })),
    from: null,
    to: null,
    tail: "none",
    ends: "equal",
    leadInBars: 0,
    rate: null,
    depth: depth === "16" && !isExact ? "24" : depth,
    dither: false,
    format: "wav",
    mixes: mix === null ? [] : ["after its chain"],
    folderName: hasTempo ? PLAIN_FOLDER_NAME : PLAIN_FOLDER_NAME.slice(0, -2),
    fileName: PLAIN_FILE_NAME,
    arrived: soundOf(session),
    notes: hasTempo ? "" : "The tempo of these files is not known: 120 beats to the minute stands in its place.",
    sessionFiles: [],
  };
}
