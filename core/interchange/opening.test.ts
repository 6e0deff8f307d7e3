import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { tempoMap } from "../time/tempo";
import type { Loss, Part } from "../timeline/loss";
import type { Timeline, TimelineTrack } from "../timeline/timeline";
import { NO_FADE, emptyTimeline, plainTrack } from "../timeline/timeline";
import { mixOf } from "../session/routing";
import type { FoundMedia } from "./from-timeline";
import { fromTimeline, mediaKey } from "./from-timeline";
import { lossesOfOpening, notKept } from "./opening";

const RATE = 48000;
const hundredths = (min: number, max: number) => fc.integer({ min: 100 * min, max: 100 * max }).map((v) => v / 100);

/** Tracks of whatever a reader may make of a file: also what no session holds. */
const tracks: fc.Arbitrary<TimelineTrack> = fc
  .record({
    kind: fc.constantFrom("audio" as const, "notes" as const, "group" as const, "return" as const, "mix" as const),
    output: fc.constantFrom(null, "t0", "t1", "t2", "nowhere"),
    faderDb: hundredths(-150, 40),
    pan: hundredths(-2, 2),
    mute: fc.boolean(),
    sends: fc.array(fc.record({ to: fc.constantFrom("t0", "t1", "t2", "nowhere"), gainDb: hundredths(-60, 40) }), {
      maxLength: 2,
    }),
    devices: fc.array(fc.constantFrom("Shiny", "EQ"), { maxLength: 2 }),
    lane: fc.option(
      fc.record({
        target: fc.constantFrom("fader" as const, "pan" as const, "mute" as const),
        values: fc.array(hundredths(-2, 30), { minLength: 1, maxLength: 3 }),
      }),
    ),
    clips: fc.array(
      fc.record({
        media: fc.constantFrom("a", "gone"),
        start: fc.nat(90_000),
        frames: fc.integer({ min: 1, max: 60_000 }),
        offset: fc.nat(60_000),
        gainDb: hundredths(-30, 40),
        fade: fc.nat(40_000),
        muted: fc.boolean(),
      }),
      { maxLength: 3 },
    ),
  })
  .map(({ kind, sends, devices, lane, clips, ...rest }) => ({
    ...plainTrack({ id: "", name: "", kind }),
    ...rest,
    sends: sends.map((s) => ({ ...s, position: "after fader" as const })),
    devices: devices.map((name) => ({ name, isInstrument: false, isOn: true, state: "" })),
    lanes: lane
      ? [
          {
            target: lane.target,
            send: null,
            points: lane.values.map((value, i) => ({ frame: 9001 * i, value, shape: "linear" as const })),
          },
        ]
      : [],
    clips: clips.map(({ fade, muted, ...c }, i) => ({
      ...c,
      name: `clip ${i}`,
      channel: null,
      fadeIn: { frames: fade, shape: "linear" as const },
      fadeOut: NO_FADE,
      crossfade: false,
      ...(muted ? { muted: true as const } : {}),
    })),
  }));

const timelines = fc.array(tracks, { minLength: 1, maxLength: 4 }).map((list): Timeline => ({
  ...emptyTimeline("Foreign", RATE),
  media: ["a", "gone"].map((id) => ({
    ...{ id, name: id, frames: 48_000, rate: RATE, channels: 2, sha256: null, timeReference: null, path: id },
  })),
  tracks: list.map((t, i) => ({ ...t, id: `t${i}`, name: `Track ${i}` })),
}));

const facts = (media: string) => (media === "a" ? { frames: 48_000, rate: RATE, channels: 2 } : null);

test("a track whose instrument is not here asks for the program that fits its names, and keeps the instrument's", () => {
  const devices = (name: string, state = "<state/>") => [{ name, isInstrument: true, isOn: true, state }];
  const own = JSON.stringify({ type: "synth", params: {} });
  const of = (id: string, name: string, list: TimelineTrack["devices"]) => ({
    ...plainTrack({ id, name, kind: "notes" }),
    devices: list,
  });
  const tracks = [
    of("a", "Verse", devices("Tines Deluxe")),
    of("b", "Low Bass", devices("Machine 7")),
    of("c", "Ours", devices("Synth", own)),
    of("d", "Bare", []),
  ];
  const { session } = fromTimeline({ ...emptyTimeline("Foreign", RATE), tracks }, new Map(), {
    newId: (
      (n) => () =>
        `id-${n++}`
    )(0),
  });
  const asked = { bends: [], wheel: [] };
  expect(session.tracks.slice(0, 4).map((t) => [t.program, t.devices[0]?.type])).toEqual([
    [{ ...asked, bank: 0, program: 4, device: "Tines Deluxe" }, "synth"],
    [{ ...asked, bank: 0, program: 33, device: "Machine 7" }, "synth"],
    [null, "synth"],
    [null, "synth"],
  ]);
});

describe("what opening a session file loses", () => {
  test("random timelines: every difference between one and its session is reported, and announced before opening", () => {
    fc.assert(
      fc.property(timelines, (timeline) => {
        const found = new Map(
          ["a", "gone"].map((id): [string, FoundMedia] => [
            mediaKey(id, null),
            {
              asset: {
                ...{ id, name: id, frames: id === "a" ? 48_000 : 1_000_000, rate: RATE, channels: 2 },
                origin: id === "a" ? "imported" : "missing",
              },
              isMissing: id === "gone",
            },
          ]),
        );
        let n = 0;
        const { session, losses } = fromTimeline(timeline, found, { newId: () => `id-${n++}` });
        const told = (part: Part, track: string) =>
          losses.some((l: Loss) => l.part === part && l.where === track && l.fate !== "kept");
        const mix = mixOf(session);
        const tempo = tempoMap(session.tempo, RATE);
        const firstMix = timeline.tracks.find((t) => t.kind === "mix");
        for (const was of timeline.tracks) {
          const is = was === firstMix ? mix : session.tracks.find((t) => t.name === was.name && t !== mix);
          const differs = (part: Part, same: boolean) => {
            if (!same && !told(part, was.name))
              throw new Error(`${part} of ${was.kind} ${was.name} is lost in silence`);
          };
          if (!is) {
            differs("what it holds beside sound", false);
            continue;
          }
          // Below -144 dB there is silence either way.
          differs("faders", is.faderDb === Math.max(-144, was.faderDb));
          differs("pans", is.pan === was.pan);
          differs("mutes", is.mute === was.mute);
          differs("devices", was.devices.length === is.devices.filter((d) => d.type !== "synth").length);
          differs("sends", was.sends.length === is.sends.length);
          const output = session.tracks.find((t) => t.id === is.output)?.name ?? null;
          const wanted = timeline.tracks.find((t) => t.id === was.output);
          if (was !== firstMix)
            differs("groups", was.output === null || wanted === firstMix || output === (wanted?.name ?? "nowhere"));
          const [lane, now] = [was.lanes[0], is.automation[0]];
          const frames = now?.points.map((p) => tempo.toFrames(p.tick)) ?? [];
          differs(
            "places between ticks",
            frames.every((f) => lane?.points.some((p) => p.frame === f)),
          );
          differs("automation", lane?.points.map((p) => p.value).join() === now?.points.map((p) => p.value).join());
          const audible = is.clips.flatMap((c) => (c.kind === "audio" ? [c] : []));
          const places = (list: readonly { start: number; frames: number; offset: number }[]) =>
            list.map((c) => [c.start, c.frames, c.offset].join("/")).join(" ");
          differs("clips", places(was.clips) === places(audible));
          differs(
            "clip gain",
            audible.every((c) => was.clips.some((w) => w.name === c.name && w.gainDb === c.gainDb)),
          );
          differs(
            "fades",
            audible.every((c) => was.clips.some((w) => w.name === c.name && w.fadeIn.frames === c.fadeIn.frames)),
          );
          expect(audible.every((c) => was.clips.some((w) => w.name === c.name && (w.muted ?? false) === c.muted))).toBe(
            true,
          );
        }
        // What is said before is what is said after.
        const key = (l: Loss) => JSON.stringify([l.part, l.fate, l.where]);
        expect(new Set(lossesOfOpening(timeline, facts, RATE).map(key))).toEqual(new Set(notKept(losses).map(key)));
      }),
      { numRuns: 300 },
    );
  });
});
