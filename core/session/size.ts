import type { Clip, Session, Track } from "./document";

/** What makes a session large. */
interface Size {
  /** Wherever they lie: on tracks, inside of nests, in takes. */
  readonly clips: number;
  /** Notes and points of automation, and marks and points inside of clips. */
  readonly values: number;
}

/** Lists of a session never change in place: each is counted once. */
const counted = new WeakMap<object, Size>();

/** How many clips and values a session holds. */
export function sizeOf(session: Session): Size {
  let clips = 0;
  let values = memo(session.phrases, (phrases) => ({
    clips: 0,
    values: phrases.reduce((n, p) => n + p.notes.length, 0),
  })).values;
  for (const track of session.tracks)
    for (const size of [memo(track.clips, ofClips), memo(track.takes, ofTakes), memo(track.automation, ofLanes)]) {
      clips += size.clips;
      values += size.values;
    }
  for (const { program } of session.tracks) if (program) values += program.bends.length + program.wheel.length;
  return { clips, values };
}

function memo<T extends object>(list: T, count: (list: T) => Size): Size {
  let size = counted.get(list);
  if (!size) counted.set(list, (size = count(list)));
  return size;
}

function ofClips(list: readonly Clip[]): Size {
  let [clips, values] = [list.length, 0];
  for (const clip of list) {
    if (clip.kind === "audio") values += clip.timeMarks.length + clip.pitchLine.length;
    if (clip.kind !== "nest") continue;
    const inside = ofClips(clip.children);
    clips += inside.clips;
    values += inside.values;
  }
  return { clips, values };
}

function ofTakes(takes: Track["takes"]): Size {
  const all = takes.map((take) => memo(take.clips, ofClips));
  return { clips: all.reduce((n, s) => n + s.clips, 0), values: all.reduce((n, s) => n + s.values, 0) };
}

const ofLanes = (lanes: Track["automation"]): Size => ({
  clips: 0,
  values: lanes.reduce((n, lane) => n + lane.points.length, 0),
});
