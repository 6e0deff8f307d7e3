import fc from "fast-check";
import { expect, test } from "vitest";
import { randomSessions } from "../testing/random-session";
import { hashOf } from "../testing/listen";
import { applyStep } from "./edits";
import { clearUnused, usesOf } from "./usage";

test("what is taken off the shelf is exactly what nothing uses: the session stays legal, and taking off one more would not", () => {
  fc.assert(
    fc.property(randomSessions(), (random) => {
      const session = {
        ...random,
        assets: [
          ...random.assets,
          { id: hashOf(77), name: "never used", frames: 10, rate: 48000, channels: 1, origin: "printed" as const },
        ],
      };
      const edits = clearUnused(session);
      expect(edits.some((e) => e.do === "remove" && e.id === hashOf(77))).toBe(true);
      const done = applyStep(session, { label: "", edits: [...edits] });
      if (!done.ok) throw new Error(done.problems[0]?.what);
      expect(clearUnused(done.value.session)).toEqual([]);
      for (const asset of done.value.session.assets)
        expect(
          applyStep(done.value.session, { label: "", edits: [{ do: "remove", in: "assets", id: asset.id }] }).ok,
        ).toBe(false);
      for (const [, uses] of usesOf(session))
        for (const use of uses) expect(session.tracks.some((t) => t.id === use.track)).toBe(true);
    }),
    { numRuns: 40 },
  );
});
