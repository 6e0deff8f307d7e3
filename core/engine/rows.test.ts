import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { MIX_IN, differenceDb, listen, sumOf, tapAt } from "../testing/listen";
import { rowsThatCover, randomRows, tapsOf } from "../testing/random-rows";
import { isWhole } from "../testing/in-parts";
import { randomSessions, recordings } from "../testing/random-session";
import { share } from "../../tests/setup/share";

describe("rows of every shape", () => {
  test("divided between two to four threads, each tap is what a pass by itself makes of it, to the last bit", () => {
    let divided = 0;
    fc.assert(
      fc.property(
        randomSessions(),
        randomRows,
        fc.constantFrom("measured" as const, "none" as const),
        fc.constantFrom(1, 2, 99),
        fc.constantFrom(2, 3, 4),
        (s, rows, tail, leastSum, threads) => {
          const outcome = isWhole(s, tapsOf(s, rows), tail, leastSum, threads);
          if (outcome.divided) divided++;
          expect(outcome.different).toEqual([]);
        },
      ),
      { numRuns: share(24), seed: 8 },
    );
    expect(divided).toBeGreaterThan(share(10));
  });

  test("a group with its returns is its members with theirs: what they send is in it", () => {
    fc.assert(
      fc.property(randomSessions(), fc.boolean(), (s, linked) => {
        const within = (id: string): readonly string[] =>
          s.tracks.filter((t) => t.output === id).flatMap((t) => (t.kind === "group" ? within(t.id) : [t.id]));
        if (within("g2").length === 0) return;
        const [group, members] = [["g2"], within("g2")].map(
          (sources) =>
            listen(s, [{ ...tapAt("group", ...sources), returns: true, linked }], { library: recordings })[0]!,
        );
        expect(differenceDb(group!, members!)).toBeLessThanOrEqual(-120);
      }),
      { numRuns: 14, seed: 9 },
    );
  });

  test("however the tracks are parted into rows, with returns apart or baked in, the rows add up to the mix before its chain", () => {
    fc.assert(
      fc.property(
        randomSessions({ above: "linkable" }),
        fc.array(fc.nat(4), { minLength: 8, maxLength: 8 }),
        fc.boolean(),
        (s, parts, returns) => {
          const [before, ...stems] = listen(s, [MIX_IN, ...rowsThatCover(s, parts, returns)], { library: recordings });
          expect(differenceDb(sumOf(stems), before!)).toBeLessThanOrEqual(-110);
        },
      ),
      { numRuns: share(16), seed: 10 },
    );
  });
});
