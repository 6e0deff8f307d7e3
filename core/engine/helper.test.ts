import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { inParts, same } from "../testing/in-parts";
import { MIX_IN, MIX_OUT, hashOf, listen, tapAt } from "../testing/listen";
import { randomSessions, recordedAssets, recordings as library } from "../testing/random-session";
import type { DividedPass } from "./split";
import { dividePass } from "./split";
import type { Tap } from "./tap";
import { share } from "../../tests/setup/share";

describe("a divided pass", () => {
  test("every tap is the same to the last bit, and ends where it would", () => {
    let shared = 0;
    let several = 0;
    let begun = 0;
    fc.assert(
      fc.property(
        randomSessions(),
        fc.constantFrom("measured" as const, "none" as const),
        fc.boolean(),
        fc.boolean(),
        fc.constantFrom(1, 2, 99),
        fc.constantFrom(2, 3, 4),
        (s, tail, linked, returns, leastSum, threads) => {
          const stems = s.tracks.filter((t) => t.kind !== "mix" && t.kind !== "group");
          const taps: readonly Tap[] = [
            ...stems.map((t, i) => ({ ...tapAt("group", t.id), linked, returns: returns && i === 0 })),
            MIX_IN,
            MIX_OUT,
          ];
          const alone = listen(s, taps, { library, tail });
          const both = inParts(s, taps, tail, alone[0]!.left.length, leastSum, threads);
          if (!both) return;
          if (dividePass(s, taps, threads, leastSum)!.helpers.length > 1) several++;
          shared++;
          if (dividePass(s, taps, threads, leastSum)!.helpers[0]!.work.sums.length > 0) begun++;
          both.forEach((heard, i) => expect(same(heard, alone[i]!), `tap ${i}`).toBe(true));
        },
      ),
      { numRuns: share(34), seed: 5 },
    );
    expect([shared > share(20), several > share(8), begun > share(5)]).toEqual([true, true, true]);
  });

  test("tracks into a group that is parked block nothing", () => {
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
    expect(same(inParts(s, [MIX_OUT], "measured", alone[0]!.left.length, 4)![0]!, alone[0]!)).toBe(true);
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
    const [plan] = dividePass(s, taps, 2)!.helpers as [DividedPass["helpers"][number]];
    const { lead } = dividePass(s, taps, 2)!;
    // The helper has a little less to do, so that the lead does not wait for it.
    expect(plan.taps.length).toBe(6);
    // All of them stand at the beginning of the mix's sum, so the sum is given and none of them.
    expect([plan.work.given, plan.work.sums]).toEqual([[], [{ track: "mix", inflows: 6 }]]);
    expect([...lead, ...plan.taps].sort((a, b) => a - b)).toEqual(taps.map((_, i) => i));
    expect(dividePass(s, [MIX_OUT], 2)!.helpers[0]!.taps).toEqual([]);
    expect(dividePass(s, [MIX_OUT], 2)!.helpers[0]!.work.tracks.length).toBeGreaterThan(3);
    expect(dividePass(s, taps.slice(0, 5), 2)).toBeNull();
    // With more threads, more of them: each has its tracks, none has another's.
    const three = dividePass(s, taps, 4)!;
    expect(three.helpers.length).toBe(3);
    const given = three.helpers.flatMap((h) => h.work.tracks);
    expect(new Set(given).size).toBe(given.length);
    for (const own of three.helpers) expect(own.taps.length).toBeGreaterThanOrEqual(2);
    const alone = listen(s, [MIX_OUT], { library });
    expect(same(inParts(s, [MIX_OUT], "measured", alone[0]!.left.length, 4)![0]!, alone[0]!)).toBe(true);
  });
});
