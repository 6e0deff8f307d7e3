import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeNoteClip, makeSession, makeTrack } from "../session/build";
import type { Track } from "../session/document";
import { hashOf } from "../testing/listen";
import { silenceOf } from "./silent";

const clip = makeAudioClip({ id: "c", asset: hashOf(1), start: 1000, frames: 9000 });
const whyOf = (
  patch: Partial<Track>,
  group: Partial<Track> = {},
  passed: "devices" | "channel" | "group" = "channel",
) =>
  silenceOf(
    makeSession({
      tracks: [
        makeTrack({ id: "t", name: "Pad", kind: "audio", output: "g", clips: [clip], ...patch }),
        makeTrack({ id: "g", name: "Choir", kind: "group", ...group }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    }),
    "t",
    { passed, from: 0, to: 20_000 },
  );

describe("why a print is silent", () => {
  test("is the track's own state, before its devices are blamed", () => {
    expect(whyOf({})).toEqual({ why: "devices" });
    expect(whyOf({ parked: true })).toEqual({ why: "parked" });
    expect(whyOf({ clips: [] })).toEqual({ why: "empty" });
    expect(whyOf({ clips: [{ ...clip, start: 30_000 }] })).toEqual({ why: "nothing in range" });
    expect(whyOf({ clips: [{ ...clip, muted: true }] })).toEqual({ why: "clips muted" });
    expect(whyOf({ mute: true })).toEqual({ why: "muted" });
    expect(whyOf({ faderDb: -144 })).toEqual({ why: "fader down" });
    const off = { ...makeDevice("i", "synth"), on: false };
    expect(
      whyOf({ kind: "instrument", devices: [off], clips: [makeNoteClip("n", { id: "p" } as never, 0, 960)] }),
    ).toEqual({ why: "instrument off" });
  });

  test("is never a mute or a fader behind the tap", () => {
    expect(whyOf({ mute: true, faderDb: -144 }, { mute: true }, "devices")).toEqual({ why: "devices" });
    expect(whyOf({}, { mute: true }, "channel")).toEqual({ why: "devices" });
    expect(whyOf({}, { mute: true }, "group")).toEqual({ why: "group muted", group: "Choir" });
  });
});
