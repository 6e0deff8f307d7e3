import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { inTwo, same } from "../testing/in-two";
import { MIX_IN, MIX_OUT, hashOf, listen, tapAt } from "../testing/listen";
import { randomSessions, recordedAssets, recordings as library } from "../testing/random-session";
import { sharePass } from "./split";
import type { Tap } from "./tap";

describe("a pass in two halves", () => {
  test("every tap is the same to the last bit, and ends where it would", () => {
    let shared = 0;
    let begun = 0;
    fc.assert(
      fc.property(
        randomSessions(),
        fc.constantFrom("measured" as const, "none" as const),
        fc.boolean(),
        fc.boolean(),
        fc.constantFrom(1, 2, 99),
        (s, tail, linked, returns, leastSum) => {
          const stems = s.tracks.filter((t) => t.kind !== "mix" && t.kind !== "group");
          const taps: readonly Tap[] = [
            ...stems.map((t, i) => ({ ...tapAt("group", t.id), linked, returns: returns && i === 0 })),
            MIX_IN,
            MIX_OUT,
          ];
          const alone = listen(s, taps, { library, tail });
          const both = inTwo(s, taps, tail, alone[0]!.left.length, leastSum);
          if (!both) return;
          shared++;
          if (sharePass(s, taps, leastSum)!.work.sums.length > 0) begun++;
          both.forEach((heard, i) => expect(same(heard, alone[i]!), `tap ${i}`).toBe(true));
        },
      ),
      { numRuns: 40, seed: 5 },
    );
    expect([shared > 10, begun > 5]).toEqual([true, true]);
  });

  test("tracks into a group that is parked are in nobody's way", () => {
    const s = makeSession({
      assets: recordedAssets,
      tracks: [
        ...Array.from({ length: 12 }, (_, i) =>
          makeTrack({
            id: `t${i}`,
            name: `T${i}`,
            kind: "audio",
            output: i < 6 ? "g" : "mix",
            clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 9000 })],
            devices: [makeDevice(`d${i}`, "eq", { lowDb: 2 })],
          }),
        ),
        makeTrack({ id: "g", name: "G", kind: "group", parked: true }),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    const alone = listen(s, [MIX_OUT], { library });
    expect(same(inTwo(s, [MIX_OUT], "measured", alone[0]!.left.length, 4)![0]!, alone[0]!)).toBe(true);
  });

  test("many equal tracks go half and half, with their stems; a mix alone gives its tracks away, and no mix shares nothing", () => {
    const s = makeSession({
      assets: recordedAssets,
      tracks: [
        ...Array.from({ length: 12 }, (_, i) =>
          makeTrack({
            id: `t${i}`,
            name: `T${i}`,
            kind: "audio",
            clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 9000 })],
            devices: [makeDevice(`d${i}`, "eq", { lowDb: 2 })],
          }),
        ),
        makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
      ],
    });
    const taps = [...Array.from({ length: 12 }, (_, i) => tapAt("group", `t${i}`)), MIX_OUT];
    const plan = sharePass(s, taps)!;
    // The helper has a little less to do, so that the lead does not wait for it.
    expect(plan.help.length).toBe(6);
    // All of them stand at the beginning of the mix's sum, so the sum is given and none of them.
    expect([plan.work.given, plan.work.sums]).toEqual([[], [{ track: "mix", inflows: 6 }]]);
    expect([...plan.lead, ...plan.help].sort((a, b) => a - b)).toEqual(taps.map((_, i) => i));
    expect(sharePass(s, [MIX_OUT])!.help).toEqual([]);
    expect(sharePass(s, [MIX_OUT])!.work.tracks.length).toBeGreaterThan(3);
    expect(sharePass(s, taps.slice(0, 5))).toBeNull();
    const alone = listen(s, [MIX_OUT], { library });
    expect(same(inTwo(s, [MIX_OUT], "measured", alone[0]!.left.length, 4)![0]!, alone[0]!)).toBe(true);
  });
});
