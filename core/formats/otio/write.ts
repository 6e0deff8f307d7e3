import type { Timeline, TimelineClip, TimelineMedia, TimelineTrack } from "../../timeline/timeline";
import { urlOfPath } from "../paths/url";
import { OWN } from "./facts";

type Json = null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json };

/**
 * A timeline as OpenTimelineIO: `Timeline.1` with one `Track.1` a track, times at the timeline's own rate, crossfades
 * as `Transition.1` whose cut is in their middle. Files are named relative to where it lies. OpenTimelineIO,
 * serialized data documentation.
 */
export function writeOtio(timeline: Timeline): string {
  const { name, rate, startFrames, frameRate, tempo, meter, leadIn, tracks, markers } = timeline;
  const time = (value: number): Json => ({ OTIO_SCHEMA: "RationalTime.1", rate, value });
  const range = (start: number, duration: number): Json => ({
    OTIO_SCHEMA: "TimeRange.1",
    start_time: time(start),
    duration: time(duration),
  });
  const media = new Map(timeline.media.map((m) => [m.id, m]));
  const clip = (c: TimelineClip, from: number, to: number): Json => ({
    OTIO_SCHEMA: "Clip.2",
    ...plain(c.name, {
      gainDb: c.gainDb,
      channel: c.channel,
      fadeIn: { ...c.fadeIn },
      fadeOut: { ...c.fadeOut },
    }),
    source_range: range(c.offset + from - c.start, to - from),
    ...item(true),
    media_references: { DEFAULT_MEDIA: reference(media.get(c.media)) },
    active_media_reference_key: "DEFAULT_MEDIA",
  });
  const track = (t: TimelineTrack): Json => {
    const children: Json[] = [];
    let at = 0;
    t.clips.forEach((c, i) => {
      const before = t.clips[i - 1];
      const after = t.clips[i + 1];
      const from = c.crossfade && before ? cutOf(before, c) : c.start;
      const to = after?.crossfade ? cutOf(c, after) : c.start + c.frames;
      if (from > at)
        children.push({ OTIO_SCHEMA: "Gap.1", ...plain("", null), source_range: range(0, from - at), ...item(true) });
      if (c.crossfade && before)
        children.push({
          OTIO_SCHEMA: "Transition.1",
          ...plain("Crossfade", { shape: c.fadeIn.shape }),
          transition_type: "SMPTE_Dissolve",
          in_offset: time(from - c.start),
          out_offset: time(before.start + before.frames - from),
        });
      children.push(clip(c, from, to));
      at = to;
    });
    return {
      OTIO_SCHEMA: "Track.1",
      ...plain(t.name, settings(t)),
      source_range: null,
      ...item(!t.mute),
      kind: "Audio",
      children,
    };
  };
  const reference = (m: TimelineMedia | undefined): Json =>
    m
      ? {
          OTIO_SCHEMA: "ExternalReference.1",
          ...plain(m.name, { sha256: m.sha256, channels: m.channels, timeReference: m.timeReference }),
          target_url: urlOfPath(m.path ?? m.name),
          available_range: {
            OTIO_SCHEMA: "TimeRange.1",
            start_time: { OTIO_SCHEMA: "RationalTime.1", rate: m.rate, value: 0 },
            duration: { OTIO_SCHEMA: "RationalTime.1", rate: m.rate, value: m.frames },
          },
          available_image_bounds: null,
        }
      : { OTIO_SCHEMA: "MissingReference.1", ...plain("", null), available_range: null, available_image_bounds: null };
  const ways = tracks.flatMap((t, index): Json[] => (isWay(t) ? [{ index, name: t.name, ...settings(t) }] : []));
  const whole: Json = {
    OTIO_SCHEMA: "Timeline.1",
    ...plain(name, {
      version: 1,
      rate,
      leadIn,
      startFrames,
      frameRate: frameRate ? { ...frameRate } : null,
      tempo: tempo?.map((p) => ({ ...p })) ?? null,
      meter: meter?.map((p) => ({ ...p })) ?? null,
      ways,
    }),
    global_start_time: startFrames === 0 ? null : time(startFrames),
    tracks: {
      OTIO_SCHEMA: "Stack.1",
      ...plain("tracks", null),
      source_range: null,
      ...item(true),
      markers: markers.map((m) => ({
        OTIO_SCHEMA: "Marker.2",
        ...plain(m.name, null),
        color: "GREEN",
        marked_range: range(m.frame, 0),
        comment: "",
      })),
      children: tracks.filter((t) => !isWay(t)).map(track),
    },
  };
  return `${JSON.stringify(whole, null, 2)}\n`;
}

const plain = (name: string, own: Json) => ({ name, metadata: own === null ? {} : { [OWN]: own } });
const item = (enabled: boolean) => ({ effects: [], markers: [], enabled });

/** Tracks that nothing lies on: they are kept beside those that others show. */
const isWay = (t: TimelineTrack): boolean => t.kind !== "audio";

/** Where one clip hands over to the next: in the middle of their crossfade. */
const cutOf = (before: TimelineClip, after: TimelineClip): number =>
  after.start + Math.floor((before.start + before.frames - after.start) / 2);

const settings = ({ id, kind, channels, output, faderDb, pan, panInLevels, mute, sends, lanes }: TimelineTrack) => ({
  id,
  kind,
  channels,
  output,
  faderDb,
  pan,
  ...(panInLevels === undefined ? {} : { panInLevels }),
  mute,
  sends: sends.map((s) => ({ ...s })),
  lanes: lanes.map((l) => ({ ...l, points: l.points.map((p) => ({ ...p })) })),
});
