import fc from "fast-check";
import { expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { MIX_OUT, hashOf, tapAt } from "../testing/listen";
import { edited, randomEdits } from "../testing/random-edit";
import { randomSessions, recordedAssets } from "../testing/random-session";
import { splice } from "../testing/splice";

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

test("after an edit, what is rendered from the last checkpoint before it, behind what was rendered before, is a whole render", () => {
  const seen = { spliced: 0, whole: 0 };
  fc.assert(
    fc.property(randomSessions(), randomEdits, (session, { what, which, at }) => {
      const after = edited(session, what, which, at);
      fc.pre(after !== null);
      const made = splice(session, after, [MIX_OUT, tapAt("devices", "t0")]);
      if (made) expect(made).toEqual({ since: made.since, different: [] });
      seen[made && made.since > 0 ? "spliced" : "whole"]++;
    }),
    { numRuns: 15, seed: 47 },
  );
  expect(seen.spliced).toBeGreaterThan(4);
  expect(seen.whole).toBeGreaterThan(0);
});
