import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { AudioLibrary } from "../engine/library";
import { sessionEnd } from "../engine/render";
import type { Session } from "../session/document";
import { applyStep } from "../session/edits";
import { MIX_OUT, differenceDb, listen } from "../testing/listen";
import { carryOut, counter, withPrints } from "../testing/print";
import { randomSessions, recordings } from "../testing/random-session";
import { randomSlips, slipFrom } from "../testing/random-slip";
import { planPrint } from "./plan";
import type { ReopenedPrint } from "./reopen";
import { reopenStep } from "./reopen";
import type { Slip } from "./slip";
import { printStep } from "./step";
import { share } from "../../tests/setup/share";

const applied = (session: Session, step: Parameters<typeof applyStep>[1]): Session => {
  const done = applyStep(session, step);
  if (!done.ok) throw new Error(done.problems.map((p) => `${p.where}: ${p.what}`).join("; "));
  return done.value.session;
};

interface Made {
  readonly session: Session;
  readonly library: AudioLibrary;
  /** One for each file that was placed. */
  readonly prints: readonly ReopenedPrint[];
}

/** Prints a slip on what there is already. */
function print({ session, library, prints }: Made, slip: Slip, first: number, newId: () => string): Made | null {
  const plan = planPrint(session, slip);
  if (!plan.ok) return null;
  const { printed, heard } = carryOut(plan.value, library, first);
  const after = applied(session, printStep(session, plan.value, printed, newId));
  const files = printed.map((p, place) => ({ place, asset: p.asset.id, name: p.file.name }));
  const made = files.map(({ place }) => ({
    ...{ slip: plan.value.slip, place, printed: session, before: session, after, files, later: [] },
  }));
  const later = files.map((f) => ({ name: f.name, asset: f.asset, tracks: slip.tracks }));
  return {
    session: after,
    library: withPrints(heard, library, first),
    prints: [...prints.map((p) => ({ ...p, later: [...p.later, ...later] })), ...made],
  };
}

describe("reopening", () => {
  test("whatever was printed and reopened, in whatever order: the session sounds as before, to the bit", () => {
    let reopened = 0;
    let refused = 0;
    fc.assert(
      fc.property(
        randomSessions({ above: "linkable" }),
        fc.array(randomSlips, { minLength: 1, maxLength: 3 }),
        fc.array(fc.nat(), { minLength: 8, maxLength: 8 }),
        (session, slips, order) => {
          const newId = counter("made");
          let now: Made = { session, library: recordings, prints: [] };
          slips.forEach((parts, i) => {
            const slip = slipFrom(now.session, parts);
            const next = slip && print(now, slip, 900 + 20 * i, newId);
            if (next) now = next;
          });
          let back = now.session;
          const left = [...now.prints];
          // What was printed from a print has to be reopened before it, so what is refused is tried again.
          for (let round = 0; left.length > 0 && round < 20; round++) {
            const at = (order[round % order.length] as number) % left.length;
            const [one] = left.splice(at, 1) as [ReopenedPrint];
            const step = reopenStep(back, one, newId);
            if (step.ok) {
              back = applied(back, step.value.step);
              reopened++;
            } else if (step.problems[0]?.what.includes("reopen that first")) left.push(one);
            else {
              refused++;
              expect(step.problems[0]?.what).toBe("its source is there as it was");
            }
          }
          const to = Math.max(sessionEnd(session), sessionEnd(back)) + 24_000;
          const play = (s: Session) => listen(s, [MIX_OUT], { library: now.library, to, tail: "none" })[0];
          const [before, after] = [play(session), play(back)];
          if (!before || !after) throw new Error("nothing was rendered");
          expect(differenceDb(before, after)).toBe(-Infinity);
        },
      ),
      { numRuns: share(60) },
    );
    expect(reopened).toBeGreaterThan(share(40));
    expect(refused).toBeLessThan(reopened);
  }, 240_000);
});
