import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { randomSessions } from "../testing/random-session";
import { makeAudioClip, makeSession, makeTrack } from "./build";
import { compactSession, wholeSession, type CompactSession } from "./compact";
import type { Session } from "./document";

const sent = (session: Session): CompactSession =>
  JSON.parse(JSON.stringify(compactSession(session))) as CompactSession;

describe("a session as it is sent to its page", () => {
  it("comes out as it went in", () => {
    fc.assert(
      fc.property(randomSessions(), (session) => {
        expect(wholeSession(sent(session))).toEqual(session);
      }),
      { numRuns: 200 },
    );
  });

  it("says of a plain clip only where it is and what it plays", () => {
    const asset = "a".repeat(64);
    const clips = [makeAudioClip({ id: "c", asset, start: 10, frames: 20 })];
    const session = makeSession({
      assets: [{ id: asset, name: "A", frames: 100, rate: 48000, channels: 1, origin: "imported" }],
      tracks: [makeTrack({ id: "t", name: "T", kind: "audio", clips })],
    });
    expect(sent(session).tracks[0]?.clips).toEqual([{ a: 0, id: "c", name: "c", start: 10, frames: 20 }]);
  });

  it("is refused where a clip plays what is not there", () => {
    const session = makeSession({ tracks: [makeTrack({ id: "t", name: "T", kind: "audio" })] });
    const track = { ...session.tracks[0], clips: [{ a: 3, id: "c", name: "c", start: 0, frames: 1 }] };
    expect(() => wholeSession({ ...session, tracks: [track] } as unknown as CompactSession)).toThrow(RangeError);
  });
});
