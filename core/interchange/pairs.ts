import { panGains } from "../engine/channel";
import { gainToDb } from "../math";
import type { Timeline, TimelineClip, TimelineMedia, TimelinePoint, TimelineTrack } from "../timeline/timeline";

/** Two mono files that are the sides of one. */
export interface MediaPair {
  readonly id: string;
  readonly left: TimelineMedia;
  readonly right: TimelineMedia;
  readonly name: string;
}

/** Names that say which side a file is: `Vox L`, `vox_right`, `Vox.L`, `Vox (R)`. */
const SIDE = /^(.*?)[ ._-]*[([]?(l|r|left|right)[)\]]?$/i;

/** A longer one is no name, and would keep the pattern busy. */
const LONGEST_NAME = 200;

function sideOf(name: string): { readonly base: string; readonly side: "left" | "right" } | null {
  if (name.length > LONGEST_NAME) return null;
  const [, base, side] = SIDE.exec(name.trim()) ?? [];
  // One letter behind another is the end of a word.
  if (base === undefined || side === undefined || base === "") return null;
  if (side.length === 1 && !/[ ._\-([]/.test(name.trim().charAt(base.length))) return null;
  return { base: base.trim(), side: side.toLowerCase().startsWith("l") ? "left" : "right" };
}

/**
 * Joins tracks that are the left and right side of one: alike in name, with the same clips of files of one channel that
 * are equally long. The joined files are new media that `pairs` tells of.
 */
export function joinPairs(timeline: Timeline): { readonly timeline: Timeline; readonly pairs: readonly MediaPair[] } {
  const media = new Map(timeline.media.map((m) => [m.id, m]));
  const pairs = new Map<string, MediaPair>();
  const gone = new Set<TimelineTrack>();
  const joined = new Map<TimelineTrack, TimelineTrack>();
  const sides = new Map(timeline.tracks.map((t) => [t, sideOf(t.name)]));
  // Where nothing is panned, the file does not tell pans: then the names say which side is which.
  const isPanned = timeline.tracks.some((t) => t.pan !== 0);
  for (const left of timeline.tracks) {
    const side = sides.get(left);
    if (side?.side !== "left" || gone.has(left)) continue;
    const right = timeline.tracks.find((t) => {
      const other = sides.get(t);
      return !gone.has(t) && other?.side === "right" && other.base === side.base && areSides(left, t, media, isPanned);
    });
    const { panInLevels: pan = 0, ...plain } = left;
    const levels = right && levelsOf(left, right, pan);
    if (!right || !levels) continue;
    gone.add(right);
    const clips = left.clips.map((clip, i): TimelineClip => {
      const other = right.clips[i] as TimelineClip;
      const id = `${clip.media}|${other.media}`;
      const name = sideOf(clip.name)?.base ?? side.base;
      const of = (c: TimelineClip) => media.get(c.media) as TimelineMedia;
      pairs.set(id, { id, left: of(clip), right: of(other), name });
      return { ...clip, media: id, name };
    });
    joined.set(left, { ...plain, ...levels, name: side.base, channels: 2, clips });
  }
  const used = new Set<string>();
  const tracks = timeline.tracks.flatMap((t) => (gone.has(t) ? [] : [joined.get(t) ?? t]));
  for (const t of tracks) for (const c of t.clips) used.add(c.media);
  const made = [...pairs.values()].map(({ id, left, name }): TimelineMedia => ({
    ...{ ...left, id, name, channels: 2, sha256: null, path: null },
  }));
  return {
    timeline: { ...timeline, tracks, media: [...timeline.media, ...made].filter((m) => used.has(m.id)) },
    pairs: [...pairs.values()],
  };
}

/** What a channel turned fully to one side adds there: the law of constant power, which is 0 dB at the centre. */
const SIDE_DB = gainToDb(panGains(-1)[0]);

/**
 * The tracks of joined pairs as the two that they were: one fully to the left and one to the right, so much quieter
 * that together they sound as the joined one.
 */
export function splitPairs(timeline: Timeline, pairs: readonly MediaPair[]): Timeline {
  if (pairs.length === 0) return timeline;
  const byId = new Map(pairs.map((p) => [p.id, p]));
  const media = new Map(timeline.media.map((m) => [m.id, m]));
  for (const { id, left, right } of pairs) {
    media.delete(id);
    media.set(left.id, left).set(right.id, right);
  }
  const tracks = timeline.tracks.flatMap((track): readonly TimelineTrack[] => {
    if (!track.clips.some((c) => byId.has(c.media))) return [track];
    return (["left", "right"] as const).map((side) => ({
      ...track,
      id: `${track.id} ${side}`,
      name: `${track.name} ${side === "left" ? "L" : "R"}`,
      channels: 1,
      ...withLevel(track, gainToDb(panGains(track.pan)[side === "left" ? 0 : 1])),
      pan: side === "left" ? -1 : 1,
      clips: track.clips.map((c) => ({
        ...c,
        media: byId.get(c.media)?.[side].id ?? c.media,
        gainDb: Math.max(-144, c.gainDb - SIDE_DB),
      })),
    }));
  });
  return { ...timeline, tracks, media: [...media.values()] };
}

/** A fader that is down. */
const OFF_DB = -144;
/** Levels are written as gains; they come back within this. */
const NEAR_DB = 0.01;

type Levels = Pick<TimelineTrack, "faderDb" | "lanes">;

/** Fader and its automation, changed by `db`. */
const withLevel = ({ faderDb, lanes }: Levels, db: number): Levels => {
  const moved = (value: number) => (db === 0 ? value : Math.max(OFF_DB, Math.round((value + db) * 1e6) / 1e6));
  return {
    faderDb: moved(faderDb),
    lanes: lanes.map((lane) =>
      lane.target === "fader" ? { ...lane, points: lane.points.map((p) => ({ ...p, value: moved(p.value) })) } : lane,
    ),
  };
};

/**
 * Pan and levels of the stereo track that two tracks are the sides of; null where their levels are not those of one.
 * They differ only where the file says that the pan is in them.
 */
function levelsOf(
  left: TimelineTrack,
  right: TimelineTrack,
  pan: number,
): (Levels & Pick<TimelineTrack, "pan">) | null {
  if (pan !== (right.panInLevels ?? 0)) return null;
  const [leftDb, rightDb] = panGains(pan).map(gainToDb) as [number, number];
  // The quieter one may be down.
  const levels = pan > 0 ? withLevel(right, -rightDb) : withLevel(left, -leftDb);
  const most = pan === 0 ? 0 : NEAR_DB;
  const isNear = (a: Levels, b: Levels) =>
    Math.abs(a.faderDb - b.faderDb) <= most &&
    a.lanes.length === b.lanes.length &&
    a.lanes.every((lane, i) => {
      const other = b.lanes[i]?.points ?? [];
      const isSame = (p: TimelinePoint, q: TimelinePoint | undefined) =>
        q !== undefined && p.frame === q.frame && p.shape === q.shape && Math.abs(p.value - q.value) <= most;
      return other.length === lane.points.length && lane.points.every((p, k) => isSame(p, other[k]));
    });
  const areNear = isNear(withLevel(levels, leftDb), left) && isNear(withLevel(levels, rightDb), right);
  return areNear ? { ...levels, pan } : null;
}

/** Whether two tracks are the same in everything but side and level: joined, nothing of either is lost. */
function areSides(
  a: TimelineTrack,
  b: TimelineTrack,
  media: ReadonlyMap<string, TimelineMedia>,
  isPanned: boolean,
): boolean {
  if (a.kind !== "audio" || b.kind !== "audio" || a.clips.length === 0 || a.clips.length !== b.clips.length)
    return false;
  if (a.mute !== b.mute || a.output !== b.output) return false;
  if (isPanned ? a.pan !== -1 || b.pan !== 1 : a.pan !== 0 || b.pan !== 0) return false;
  const rest = ({ lanes, sends, devices }: TimelineTrack) =>
    JSON.stringify([lanes.map((l) => (l.target === "fader" ? "fader" : l)), sends, devices]);
  if (rest(a) !== rest(b) || a.lanes.some((l) => l.target === "pan")) return false;
  return a.clips.every((c, i) => {
    const d = b.clips[i] as TimelineClip;
    const [m, n] = [media.get(c.media), media.get(d.media)];
    return (
      m?.channels === 1 &&
      n?.channels === 1 &&
      m.id !== n.id &&
      m.frames === n.frames &&
      m.rate === n.rate &&
      c.start === d.start &&
      c.frames === d.frames &&
      c.offset === d.offset &&
      c.gainDb === d.gainDb &&
      c.muted === d.muted &&
      JSON.stringify([c.fadeIn, c.fadeOut, c.crossfade]) === JSON.stringify([d.fadeIn, d.fadeOut, d.crossfade])
    );
  });
}
