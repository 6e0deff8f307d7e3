import { MalformedFile } from "../formats/bytes/bytes";
import type { Timeline } from "../timeline/timeline";

/** Nothing stands later: what is of a day may go on into the next. What would be farther out is a broken number, and silence to it would fill a disk. */
const MOST_SECONDS = 48 * 3600;
/** As far as a session counts ticks. */
const MOST_TICKS = 1099511627776;
const MOST_TRACKS = 900;

/**
 * Makes sure that what a reader made of a file of others is a timeline that a session can be made of: whole frames
 * within two days, ticks within reach, tracks that are told apart. Throws `MalformedFile` that names the track and the clip.
 */
export function soundTimeline(timeline: Timeline): Timeline {
  const { rate, tracks, tempo, meter, markers } = timeline;
  const last = MOST_SECONDS * rate;
  if (tracks.length > MOST_TRACKS) throw new MalformedFile(`It has ${tracks.length} tracks, more than ${MOST_TRACKS}`);
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
