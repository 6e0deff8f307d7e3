import { describe, expect, test } from "vitest";
import { MIX_IN, differenceDb, hashOf, listen, peakDb, sumOf, tapAt } from "../testing/listen";
import { recordedAssets, recordings } from "../testing/random-session";
import { makeAudioClip, makeDevice, makeLane, makeSend, makeSession, makeTrack } from "./build";
import { checkSession } from "./check";
import { asHeard } from "./solo";

const audio = (id: string, asset: number, more = {}) =>
  makeTrack({
    id,
    name: id,
    kind: "audio",
    clips: [makeAudioClip({ id: `${id}c`, asset: hashOf(asset), start: 0, frames: 20000 })],
    ...more,
  });
const session = makeSession({
  assets: recordedAssets,
  tracks: [
    audio("a", 1, { output: "g", sends: [makeSend("s1", "hall", -6)] }),
    audio("b", 2, {
      output: "g",
      sends: [makeSend("s2", "hall", 0, "before fader")],
      automation: [makeLane("m", "mute", [{ tick: 0, value: 0 }])],
    }),
    audio("c", 3, { devices: [makeDevice("k", "compressor", { thresholdDb: -40 }, "b")] }),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.3 })] }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
const hear = (...ids: string[]) =>
  listen(asHeard(session, new Set(ids)), [MIX_IN], { library: recordings, tail: "none", to: 20000 })[0]!;
const alone = (...ids: string[]) =>
  sumOf(
    listen(
      session,
      ids.map((id) => ({ ...tapAt("group", id), returns: true })),
      { library: recordings, tail: "none", to: 20000 },
    ),
  );

describe("solo", () => {
  test("one track is heard through its groups with its own share of the returns, and nothing else", () => {
    expect(differenceDb(hear("a"), alone("a"))).toBeLessThan(-130);
    expect(differenceDb(hear("b"), alone("b"))).toBeLessThan(-130);
  });

  test("a soloed group is all that flows into it; a soloed return all that is sent to it", () => {
    expect(differenceDb(hear("g"), alone("a", "b"))).toBeLessThan(-130);
    expect(peakDb(hear("hall"))).toBeGreaterThan(-40);
  });

  test("what is shut goes on steering by its key", () => {
    expect(differenceDb(hear("c"), alone("c"))).toBeLessThan(-130);
  });

  test("nothing soloed is the session itself, and what is heard is a legal session", () => {
    expect(asHeard(session, new Set())).toBe(session);
    expect(checkSession(asHeard(session, new Set(["c"])))).toEqual([]);
  });
});
