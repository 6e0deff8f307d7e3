import { describe, expect, test } from "vitest";
import { plainSlip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import { session } from "../testing/bench-session";
import { chosenPhrase, slipFor, wantedOf } from "./slip-store";

const plain = wantedOf(plainSlip([]));
const nothing = { subject: "clips", pad: null, ridden: [] } as const;
const clip = (track: string, id: string) => ({ track, clip: id });

describe("the slip for what is selected", () => {
  test("is about the selected tracks, or the chosen clips on them", () => {
    expect(slipFor(session, { selected: ["a", "i"], selectedClips: [] }, plain, nothing)).toMatchObject({
      tracks: ["a", "i"],
      clips: null,
    });
    expect(slipFor(session, { selected: ["a"], selectedClips: [clip("a", "c")] }, plain, nothing)).toMatchObject({
      tracks: ["a"],
      clips: ["c"],
    });
  });

  test("leaves out what rests, and clips of tracks that are not selected", () => {
    const resting: Session = {
      ...session,
      tracks: session.tracks.map((t) => (t.id === "i" ? { ...t, parked: true } : t)),
    };
    const chosen = { selected: ["a", "i"], selectedClips: [clip("i", "n")] };
    expect(slipFor(resting, chosen, plain, nothing)).toMatchObject({ tracks: ["a"], clips: null });
  });

  test("of a phrase is about every track that plays it, after its devices, in one piece", () => {
    const chosen = { selected: ["i"], selectedClips: [clip("i", "n")] };
    expect(chosenPhrase(session, chosen)).toBe("p");
    const wanted = { ...plain, pieces: "each clip", tap: "channel" } as const;
    expect(slipFor(session, chosen, wanted, { ...nothing, subject: "phrase" })).toMatchObject({
      tracks: ["i"],
      of: { what: "phrase", phrase: "p" },
      tap: "devices",
      pieces: "one piece",
    });
    // Two clips are no phrase.
    const two = { selectedClips: [clip("i", "n"), clip("a", "c")] };
    expect(chosenPhrase(session, two)).toBeNull();
  });

  test("several tracks keep the pieces that are asked for, printed together they are one", () => {
    const chosen = { selected: ["a", "i"], selectedClips: [] };
    const wanted = { ...plain, pieces: "each run" } as const;
    expect(slipFor(session, chosen, wanted, nothing).pieces).toBe("each run");
    expect(slipFor(session, chosen, { ...wanted, together: true }, nothing).pieces).toBe("one piece");
  });

  test("chosen clips that give way on their own track are printed from the first of them on", () => {
    const chosen = { selected: ["a"], selectedClips: [clip("a", "c")] };
    const wanted = { ...plain, tap: "clip", placed: "same track", afterwards: "replace" } as const;
    expect(slipFor(session, chosen, wanted, nothing).range).toEqual({ by: "own" });
    expect(slipFor(session, chosen, { ...wanted, placed: "new track" }, nothing).range).toEqual({ by: "zero" });
  });
});
