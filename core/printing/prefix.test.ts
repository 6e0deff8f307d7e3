import fc from "fast-check";
import { expect, test } from "vitest";
import { MIX_OUT, tapAt } from "../testing/listen";
import { edited, randomEdits } from "../testing/random-edit";
import { randomSessions } from "../testing/random-session";
import { splice } from "../testing/splice";

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
