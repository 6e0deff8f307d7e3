import { describe, expect, test } from "vitest";
import { MIX_OUT, differenceDb, hashOf, listen, peakDb } from "../testing/listen";
import { recordedAssets, recordings } from "../testing/random-session";
import { makeAudioClip, makeSession, makeTrack } from "./build";
import type { Session } from "./document";
import type { Edit } from "./edits";
import { applyStep } from "./edits";
import type { Checked } from "./problem";
import { putAside, swapIn } from "./take-edits";

const first = makeAudioClip({ id: "one", asset: hashOf(1), start: 0, frames: 9000 });
const second = makeAudioClip({ id: "two", asset: hashOf(2), start: 0, frames: 9000 });
const session = makeSession({
  assets: recordedAssets,
  tracks: [
    makeTrack({ id: "a", name: "A", kind: "audio", clips: [first] }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
  ],
});
let n = 0;
const newId = () => `t${n++}`;
const after = (s: Session, made: Checked<readonly Edit[]>): Session => {
  if (!made.ok) throw new Error(made.problems[0]!.what);
  const done = applyStep(s, { label: "", edits: [...made.value] });
  if (!done.ok) throw new Error(done.problems[0]!.what);
  const back = applyStep(done.value.session, done.value.inverse);
  expect(back.ok && back.value.session).toEqual(s);
  return done.value.session;
};
const heard = (s: Session) => listen(s, [MIX_OUT], { library: recordings, to: 9000, tail: "none" })[0]!;

describe("takes", () => {
  test("put aside, clips are kept and silent; swapped in, they sound as they did and the others rest", () => {
    const aside = after(session, putAside(session.tracks[0]!, ["one"], newId));
    expect(peakDb(heard(aside))).toBe(-Infinity);
    expect(aside.tracks[0]!.takes.map((t) => [t.name, t.clips.length])).toEqual([["Take 1", 1]]);
    const other: Session = {
      ...aside,
      tracks: aside.tracks.map((t) => (t.id === "a" ? { ...t, clips: [second] } : t)),
    };
    const back = after(other, swapIn(other.tracks[0]!, other.tracks[0]!.takes[0]!.id, newId));
    expect(differenceDb(heard(back), heard(session))).toBe(-Infinity);
    expect(back.tracks[0]!.takes.map((t) => t.clips[0]!.id)).toEqual(["two"]);
    const again = after(back, swapIn(back.tracks[0]!, back.tracks[0]!.takes[0]!.id, newId));
    expect(differenceDb(heard(again), heard(other))).toBe(-Infinity);
  });

  test("nothing chosen, a take that is gone, a frozen track: refused", () => {
    const [track] = session.tracks;
    const frozen = { ...track!, frozen: { asset: hashOf(1), fingerprint: hashOf(9) } };
    expect([
      putAside(track!, ["none"], newId).ok,
      swapIn(track!, "none", newId).ok,
      putAside(frozen, ["one"], newId).ok,
    ]).toEqual([false, false, false]);
  });
});
