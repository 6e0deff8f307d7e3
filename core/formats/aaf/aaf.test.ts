import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomTimelines } from "../../testing/random-timeline";
import { alike } from "../../testing/same-timeline";
import { fit } from "../../timeline/fit";
import type { Timeline, TimelineClip, TimelineMedia } from "../../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../../timeline/timeline";
import { MemorySink, MemorySource, bytesAt } from "../bytes/bytes";
import { aafCarries } from "./facts";
import { readAaf } from "./read";
import { wavOf } from "../../testing/wav-of";
import { aafPlaces, writeAaf } from "./write";
import { share } from "../../../tests/setup/share";

/** What the file does not tell of a timeline that it carries. */
const told = (timeline: Timeline, media: "embedded" | "beside"): Timeline => ({
  ...timeline,
  media: timeline.media.map((m) => ({ ...m, timeReference: null, path: media === "beside" ? m.path : null })),
  // A fader that is automated is where its automation puts it.
  tracks: timeline.tracks.map((t) => ({
    ...t,
    faderDb: t.lanes.some((l) => l.target === "fader") ? 0 : t.faderDb,
    pan: t.lanes.some((l) => l.target === "pan") ? 0 : t.pan,
    lanes: [...t.lanes].sort((a, b) => (a.target < b.target ? -1 : 1)).map(plainLane),
    channels: isMono(t, timeline) ? 1 : 2,
  })),
});
const isMono = (track: Timeline["tracks"][number], { media }: Timeline): boolean =>
  track.clips.length > 0 && track.clips.every((c) => media.find((m) => m.id === c.media)?.channels === 1);
/** How a value goes on behind the last point is nowhere told, nor needed. */
const plainLane = (lane: Timeline["tracks"][number]["lanes"][number]) => {
  const holds = lane.points.every((p) => p.shape === "hold");
  return {
    ...lane,
    points: lane.points.map((p, i) => {
      const next = lane.points[i + 1];
      const isLevel = next && (next.value === p.value || next.frame === p.frame + 1);
      return holds || (next && !isLevel) ? p : { ...p, shape: "linear" as const };
    }),
  };
};

const MEDIUM: TimelineMedia = {
  ...{ id: "m", name: "Take", frames: 4800, rate: 48000, channels: 1 },
  ...{ sha256: null, timeReference: null, path: "media/Take.wav" },
};
const CLIP: TimelineClip = {
  ...{ name: "Take", media: "m", channel: null, start: 100, frames: 4000, offset: 0, gainDb: 0 },
  ...{ fadeIn: NO_FADE, fadeOut: NO_FADE, crossfade: false },
};

describe("AAF", () => {
  it.each(["embedded", "beside"] as const)("what is written is read back, frame for frame, media %s", (media) => {
    fc.assert(
      fc.property(randomTimelines(), (timeline) => {
        const { timeline: written } = fit(timeline, aafCarries);
        fc.pre(written.tracks.some((t) => t.clips.length > 0));
        const sink = new MemorySink();
        const files = new Map(written.media.map((m) => [m.id, wavOf(m)]));
        writeAaf(written, sink, { media, files, name: "test", date: new Date(0) });
        const { timeline: read, embedded } = readAaf(new MemorySource(sink.bytes()));
        expect(alike(told(read, media))).toEqual(alike(told(written, media)));
        expect(embedded.size).toBe(media === "embedded" ? written.media.length : 0);
      }),
      { numRuns: share(30) },
    );
  });

  it("finds how many channels a file has that says nothing of itself by what plays it", () => {
    for (const channels of [1, 2] as const) {
      const media = { ...MEDIUM, channels };
      const track = plainTrack({ id: "t", name: "T", kind: "audio", channels, faderDb: -3, clips: [CLIP] });
      const sink = new MemorySink();
      const files = new Map([[media.id, { ...wavOf(media), head: new Uint8Array(0) }]]);
      const timeline = { ...emptyTimeline("x", 48000), media: [media], tracks: [track] };
      writeAaf(timeline, sink, { media: "beside", files, name: "test", date: new Date(0) });
      const read = readAaf(new MemorySource(sink.bytes())).timeline;
      expect([read.media[0]?.channels, read.tracks[0]?.channels]).toEqual([channels, channels]);
    }
  });

  it("refuses the pan of a stereo track, which has no place in it", () => {
    const track = plainTrack({ id: "t", name: "T", kind: "audio", channels: 2, pan: 0.5 });
    const timeline = { ...emptyTimeline("x", 48000), tracks: [track] };
    const options = { media: "beside", files: new Map(), name: "test", date: new Date(0) } as const;
    expect(() => writeAaf(timeline, new MemorySink(), options)).toThrow(RangeError);
    const fitted = fit(timeline, aafCarries);
    expect(fitted.losses).toMatchObject([{ part: "pans", fate: "left out", where: "T" }]);
    expect(() => writeAaf(fitted.timeline, new MemorySink(), options)).not.toThrow();
  });

  it("is the same file when another writer puts its media into the places that are left for them", () => {
    fc.assert(
      fc.property(randomTimelines(), (timeline) => {
        const { timeline: written } = fit(timeline, aafCarries);
        const files = new Map(written.media.map((m) => [m.id, wavOf(m)]));
        const options = { media: "embedded", files, name: "test", date: new Date(0) } as const;
        const [whole, left] = [new MemorySink(), new MemorySink()];
        writeAaf(written, whole, options);
        writeAaf(written, left, { ...options, leavesMedia: true });
        const sources = written.media.flatMap((m) => files.get(m.id)?.file ?? []);
        const places = aafPlaces(sources.map((s) => s.size));
        for (const [i, source] of sources.entries()) {
          const place = places[i] ?? null;
          if (place !== null) left.patch(place, bytesAt(source, 0, source.size));
        }
        expect(Buffer.from(left.bytes()).equals(Buffer.from(whole.bytes()))).toBe(true);
      }),
      { numRuns: share(30) },
    );
  });
});
