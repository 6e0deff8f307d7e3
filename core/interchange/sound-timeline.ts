import { MalformedFile } from "../formats/bytes/bytes";
import type { Timeline } from "../timeline/timeline";

/**
 * Nothing stands later: what is of a day may go on into the next. What would be farther out is a broken number, and
 * silence to it would fill a disk.
 */
const MOST_SECONDS = 48 * 3600;
/** As far as a session counts ticks. */
const MOST_TICKS = 1099511627776;
/** As many of each as a session holds. */
const MOST = { tracks: 900, "changes of tempo": 10_000, "changes of meter": 10_000, markers: 5000, files: 20_000 };
const MOST_CLIPS = 20_000;
const MOST_POINTS = 100_000;

/**
 * Makes sure that what a reader made of a file of others is a timeline that a session can be made of: whole frames
 * within two days, ticks within reach, tracks that are told apart. Throws `MalformedFile` that names the track and the
 * clip.
 */
export function soundTimeline(timeline: Timeline): Timeline {
  const { rate, tracks, tempo, meter, markers } = timeline;
  const last = MOST_SECONDS * rate;
  const counts = {
    tracks: tracks.length,
    "changes of tempo": tempo?.length ?? 0,
    "changes of meter": meter?.length ?? 0,
    markers: markers.length,
    files: timeline.media.length,
  };
  for (const [what, count] of Object.entries(counts)) {
    const most = MOST[what as keyof typeof MOST];
    if (count > most) throw new MalformedFile(`It has ${count} ${what}; a session holds ${most}`);
  }
  const place = (value: number, what: string) => {
    if (!Number.isInteger(value) || value < 0 || value > last)
      throw new MalformedFile(`${what} stands at frame ${value}, which is not within ${MOST_SECONDS / 3600} hours`);
  };
  const tick = (value: number, what: string) => {
    if (!Number.isInteger(value) || value < 0 || value > MOST_TICKS)
      throw new MalformedFile(`${what} stands at tick ${value}, which is out of reach`);
  };
  const seen = new Set<string>();
  for (const track of tracks) {
    if (seen.has(track.id)) throw new MalformedFile(`Two tracks have the id "${track.id}"`);
    seen.add(track.id);
    if (track.clips.length > MOST_CLIPS)
      throw new MalformedFile(`Track "${track.name}" has ${track.clips.length} clips; ${MOST_CLIPS} are the most`);
    for (const { points, target } of track.lanes)
      if (points.length > MOST_POINTS)
        throw new MalformedFile(`The ${target} of track "${track.name}" has ${points.length} points, too many`);
    track.clips.forEach((c, i) => {
      const what = `Clip ${i + 1} of track "${track.name}"`;
      place(c.start, what);
      place(c.start + c.frames, `The end of ${what.toLowerCase()}`);
      place(c.offset + c.frames, `The end in its file of ${what.toLowerCase()}`);
      place(c.fadeIn.frames, `The end of the fade of ${what.toLowerCase()}`);
      place(c.fadeOut.frames, `The start of the fade of ${what.toLowerCase()}`);
    });
    track.notes.forEach((n, i) => {
      tick(n.start, `Phrase ${i + 1} of track "${track.name}"`);
      tick(n.start + n.ticks, `The end of phrase ${i + 1} of track "${track.name}"`);
    });
    for (const lane of track.lanes)
      for (const p of lane.points) place(p.frame, `A point of the ${lane.target} of track "${track.name}"`);
  }
  (tempo ?? []).forEach((p, i) => tick(p.tick, `Tempo ${i + 1}`));
  (meter ?? []).forEach((m, i) => tick(m.bar, `Meter ${i + 1}`));
  for (const m of markers) place(m.frame, `Marker "${m.name}"`);
  return timeline;
}
