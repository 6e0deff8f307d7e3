import { describe, expect, test } from "vitest";
import type { Loss, Part } from "../timeline/loss";
import { readDawproject } from "./dawproject/read";
import { readOtio } from "./otio/read";

const left = (losses: readonly Loss[], part: Part) =>
  losses.filter((l) => l.part === part && l.fate !== "kept").reduce((sum, l) => sum + l.count, 0);

/** A DAWproject of one track of audio at 48 kHz and 120 beats to the minute, placed in seconds. */
const project = (clips: string, more: { readonly channel?: string; readonly track?: string } = {}) =>
  readDawproject(
    `<Project version="1.0"><Structure>
       <Track id="t" name="Vox" contentType="audio" ${more.track ?? ""}>
         <Channel id="c" role="regular" destination="m" ${more.channel ?? ""}/></Track>
       <Track id="mt" name="Main" contentType="audio notes"><Channel id="m" role="master"/></Track>
     </Structure><Arrangement><Lanes timeUnit="seconds"><Lanes track="t"><Clips>${clips}</Clips></Lanes></Lanes></Arrangement></Project>`,
    "Foreign",
    () => null,
  );
const audio = '<Audio sampleRate="48000" channels="2" duration="10"><File path="a.wav"/></Audio>';
const vox = (read: ReturnType<typeof project>) => read.timeline.tracks.find((t) => t.name === "Vox");

describe("a DAWproject from elsewhere", () => {
  test("a clip that is switched off is there and muted, and so is what is in it", () => {
    const read = project(
      `<Clip time="0" duration="1" enable="false">${audio}</Clip><Clip time="2" duration="1">${audio}</Clip>
       <Clip time="4" duration="2" enable="false"><Clips><Clip time="0" duration="1">${audio}</Clip></Clips></Clip>`,
    );
    expect(vox(read)?.clips.map((c) => [c.start / 48_000, c.muted === true])).toEqual([
      [0, true],
      [2, false],
      [4, true],
    ]);
  });

  test("fades around clips in a clip are those of the clips that reach its ends; around several they are told", () => {
    const nested = (inside: string) =>
      project(
        `<Clip time="1" duration="4" fadeTimeUnit="seconds" fadeInTime="0.5" fadeOutTime="0.25"><Clips>${inside}</Clips></Clip>`,
      );
    const whole = nested(`<Clip time="0" duration="4">${audio}</Clip>`);
    expect(vox(whole)?.clips.map((c) => [c.fadeIn.frames, c.fadeOut.frames])).toEqual([[24_000, 12_000]]);
    expect(left(whole.losses, "fades")).toBe(0);
    const gap = nested(`<Clip time="0.2" duration="2">${audio}</Clip>`);
    expect(vox(gap)?.clips.map((c) => [c.fadeIn.frames, c.fadeOut.frames])).toEqual([[0, 0]]);
    expect(left(gap.losses, "fades")).toBe(2);
  });

  test("losses name what a session cannot hold: solo, note expressions, colours, comments, pictures", () => {
    const read = project(
      `<Clip time="0" duration="1" color="#fff" comment="x">${audio}</Clip>
       <Clip time="2" duration="1"><Notes><Note time="0" duration="1" key="60" vel="0.5" rel="0.1"><Points/></Note></Notes></Clip>`,
      { channel: 'solo="true"', track: 'color="#00f"' },
    );
    expect(left(read.losses, "solos")).toBe(1);
    expect(left(read.losses, "colours and comments")).toBe(3);
    expect(left(read.losses, "note expressions")).toBe(2);
  });
});

const time = (value: number) => ({ OTIO_SCHEMA: "RationalTime.1", rate: 48000, value });
const range = (start: number, frames: number) => ({
  OTIO_SCHEMA: "TimeRange.1",
  start_time: time(start),
  duration: time(frames),
});
const item = (schema: string, more: object) => ({ OTIO_SCHEMA: schema, name: "", metadata: {}, ...more });
const clip = (start: number, frames: number, more: object = {}) =>
  item("Clip.1", {
    source_range: range(start, frames),
    media_reference: item("ExternalReference.1", { target_url: "a.wav", available_range: range(0, 480_000) }),
    ...more,
  });
const gap = (frames: number) => item("Gap.1", { source_range: range(0, frames) });
const track = (children: readonly object[], more: object = {}) =>
  item("Track.1", { kind: "Audio", children, source_range: null, ...more });
const otio = (tracks: readonly object[], more: object = {}) =>
  readOtio(
    JSON.stringify(
      item("Timeline.1", { tracks: item("Stack.1", { children: tracks, source_range: null, markers: [], ...more }) }),
    ),
  );
const places = (read: ReturnType<typeof otio>) =>
  read.timeline.tracks.map((t) => t.clips.map((c) => [c.start, c.frames, c.offset]));

describe("an OpenTimelineIO file from elsewhere", () => {
  test("what a track's own range shows is what is there, from the track's beginning", () => {
    const read = otio([track([gap(1000), clip(0, 5000)], { source_range: range(2000, 3000) })]);
    expect(places(read)).toEqual([[[0, 3000, 1000]]]);
  });

  test("what the range of all shows is what is there, on every track, and markers move with it", () => {
    const marker = item("Marker.1", { name: "Verse", marked_range: range(5000, 0) });
    const read = otio([track([clip(0, 9000)]), track([gap(6000), clip(100, 1000)])], {
      source_range: range(4000, 4000),
      markers: [marker],
    });
    expect(places(read)).toEqual([[[0, 4000, 4000]], [[2000, 1000, 100]]]);
    expect(read.timeline.markers).toEqual([{ name: "Verse", frame: 1000 }]);
  });

  test("the range of a track in a nested stack is kept to", () => {
    const stack = item("Stack.1", {
      children: [track([clip(0, 9000)], { source_range: range(1000, 2000) })],
      source_range: null,
    });
    expect(places(otio([track([gap(500), stack])]))).toEqual([[[500, 2000, 1000]]]);
  });

  test("a transition beside a gap, at either end of a track, is a fade", () => {
    const transition = (before: number, behind: number) =>
      item("Transition.1", { transition_type: "SMPTE_Dissolve", in_offset: time(before), out_offset: time(behind) });
    const read = otio([
      track([gap(10_000), transition(1000, 500), clip(2000, 9000), transition(300, 700), gap(5000)]),
      track([transition(0, 400), clip(0, 9000), transition(600, 0)]),
    ]);
    expect(
      read.timeline.tracks.map((t) => t.clips.map((c) => [c.start, c.frames, c.fadeIn.frames, c.fadeOut.frames])),
    ).toEqual([[[9000, 10_700, 1500, 1000]], [[0, 9000, 400, 600]]]);
  });

  test("markers and effects on tracks and clips, and notes of other programs, are told", () => {
    const marker = item("Marker.1", { name: "here", marked_range: range(0, 0) });
    const effect = item("Effect.1", { effect_name: "loud" });
    const read = otio([
      track([clip(0, 9000, { markers: [marker], metadata: { other: { a: 1 } } })], {
        markers: [marker],
        effects: [effect],
      }),
    ]);
    expect(left(read.losses, "markers")).toBe(2);
    expect(left(read.losses, "devices")).toBe(1);
    expect(left(read.losses, "what it holds beside sound")).toBe(1);
  });
});
