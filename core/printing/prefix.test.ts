import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { Checkpoint } from "../engine/checkpoint";
import { DEFAULT_BLOCK } from "../engine/render";
import { MIX_OUT, listen, tapAt, type Heard } from "../testing/listen";
import { edited, randomEdits } from "../testing/random-edit";
import { randomSessions, recordings } from "../testing/random-session";
import { prefixFingerprint } from "./fingerprint";

const bytes = ({ left, right }: Heard) => [left, right].map((x) => Buffer.from(x.buffer, x.byteOffset, x.byteLength));
const library = recordings;
const EVERY = 4 * DEFAULT_BLOCK;

describe("after an edit", () => {
  test("what is rendered from the last checkpoint before it, behind what was rendered before, is a full render", () => {
    const used = { spliced: 0, whole: 0 };
    fc.assert(
      fc.property(randomSessions(), randomEdits, (session, { what, which, at }) => {
        const after = edited(session, what, which, at);
        fc.pre(after !== null);
        const t0 = session.tracks.find((t) => t.kind === "audio" || t.kind === "instrument")!;
        const taps = [MIX_OUT, tapAt("devices", t0.id)];
        const kept: Checkpoint[] = [];
        const before = listen(session, taps, { library, checkpoints: { every: EVERY, take: (c) => kept.push(c) } });
        const resume = kept.findLast(
          ({ clock }) => prefixFingerprint(session, taps, clock) === prefixFingerprint(after, taps, clock),
        );
        if (!resume) {
          used.whole++;
          return;
        }
        used.spliced++;
        const full = listen(after, taps, { library });
        const rest = listen(after, taps, { library, resume });
        full.forEach((whole, i) => {
          const first = whole.left.length - rest[i]!.left.length;
          // Latency is the engine's: what lies between is rendered again.
          expect(first).toBeLessThanOrEqual(resume.clock);
          const spliced = (side: "left" | "right") => {
            const all = new Float32Array(whole.left.length);
            all.set(before[i]![side].subarray(0, first));
            all.set(rest[i]![side], first);
            return all;
          };
          const made = bytes({ left: spliced("left"), right: spliced("right") });
          expect(bytes(whole).map((b, side) => b.equals(made[side]!))).toEqual([true, true]);
        });
      }),
      { numRuns: 25, seed: 47 },
    );
    expect(used.spliced).toBeGreaterThan(8);
    expect(used.whole).toBeGreaterThan(0);
  });
});
