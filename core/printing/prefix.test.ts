import fc from "fast-check";
import { expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { hashOf, tapAt } from "../testing/listen";
import { edited, randomEdits, tapsInBoth, withLateTracks } from "../testing/random-edit";
import { randomSessions, recordedAssets } from "../testing/random-session";
import { splice } from "../testing/splice";
import { share } from "../../tests/setup/share";

test("two devices set alike that change places keep their own states", () => {
  const room = (id: string) => makeDevice(id, "reverb", { decayS: 0.3 });
  const [a, b] = [room("a"), room("b")];
  const clips = [0, 30_000].map((start, i) => makeAudioClip({ id: `c${i}`, asset: hashOf(1), start, frames: 20_000 }));
  const of = (...devices: (typeof a)[]) =>
    makeSession({
      assets: recordedAssets,
      tracks: [
        makeTrack({ id: "t0", name: "T", kind: "audio", output: "mix", clips, devices }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
  const made = splice(of(a, b), of(b, a), [tapAt("devices", "t0")]);
  expect([made !== null && made.since > 0, made?.different]).toEqual([true, []]);
});

test("a clip that is pasted over itself rings on as it did before the seam", () => {
  const of = (id: string, later: number) =>
    makeSession({
      assets: recordedAssets,
      tracks: [
        makeTrack({
          ...{ id: "t0", name: "T", kind: "audio", output: "mix" },
          clips: [
            makeAudioClip({
              ...{ id, asset: hashOf(1), start: 0, frames: 40_000 },
              process: [makeDevice("p", "delay", { beats: 0.25, feedback: 45 })],
            }),
            makeAudioClip({ id: "later", asset: hashOf(2), start: later, frames: 5000 }),
          ],
        }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
  const made = splice(of("a", 30_000), of("b", 31_000), [tapAt("devices", "t0")]);
  expect([made !== null && made.since > 0, made?.different]).toEqual([true, []]);
});

test("after edits, what is rendered from the last checkpoint before them, behind what was rendered before, is a whole render", () => {
  const seen = { spliced: 0, whole: 0 };
  fc.assert(
    fc.property(randomSessions(), fc.boolean(), randomEdits, fc.nat(4), (drawn, late, edits, which) => {
      const session = late ? withLateTracks(drawn, 30_000) : drawn;
      const after = edited(session, edits);
      fc.pre(after !== null);
      const [tap] = [...tapsInBoth(session, after)].slice(which);
      fc.pre(tap !== undefined);
      const made = splice(session, after, [tap]);
      if (made) expect(made).toEqual({ since: made.since, different: [] });
      seen[made && made.since > 0 ? "spliced" : "whole"]++;
    }),
    { numRuns: share(45), seed: 47 },
  );
  expect(seen.spliced).toBeGreaterThan(share(12));
  expect(seen.whole).toBeGreaterThan(2);
});
