import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { catalogue } from "../devices/catalogue";
import { MIX_OUT, listen, tapAt, type Heard } from "../testing/listen";
import { randomSessions, recordings } from "../testing/random-session";
import type { Session } from "../session/document";
import type { Checkpoint } from "./checkpoint";
import { packState, unpackState } from "./checkpoint";
import { DEFAULT_BLOCK } from "./render";
import type { Tap } from "./tap";

const bytes = ({ left, right }: Heard) => [left, right].map((x) => Buffer.from(x.buffer, x.byteOffset, x.byteLength));
const endOf = (whole: Heard, frames: number): Heard => ({
  left: whole.left.slice(whole.left.length - frames),
  right: whole.right.slice(whole.right.length - frames),
});

/** Of a chain of looking ahead and shifting pitch, in frames. */
const LONGEST_LATENCY = 24_000;

/** Renders taps whole, and again from each checkpoint: the same bits from there on. Returns how many there were. */
function resumesExactly(session: Session, taps: readonly Tap[], every: number): number {
  const kept: Checkpoint[] = [];
  const whole = listen(session, taps, {
    library: recordings,
    checkpoints: { every, take: (c) => kept.push(c) },
  });
  expect(whole.map(bytes)).toEqual(listen(session, taps, { library: recordings }).map(bytes));
  for (const checkpoint of kept.slice(0, 3)) {
    const state = unpackState(packState(checkpoint.state));
    const rest = listen(session, taps, { library: recordings, resume: { ...checkpoint, state } });
    rest.forEach((heard, i) => {
      const most = whole[i]!.left.length - checkpoint.clock + LONGEST_LATENCY;
      expect(heard.left.length).toBeGreaterThan(0);
      expect(heard.left.length).toBeLessThanOrEqual(most);
      expect(bytes(heard).map((b, side) => b.equals(bytes(endOf(whole[i]!, heard.left.length))[side]!))).toEqual([
        true,
        true,
      ]);
    });
  }
  return kept.length;
}

describe("checkpoints", () => {
  test("random sessions go on from anywhere to the same bits, by the mix and by their tracks", () => {
    let seen = 0;
    fc.assert(
      fc.property(randomSessions(), fc.integer({ min: 3, max: 20 }), (session, blocks) => {
        const tracks = session.tracks.filter((t) => t.kind === "audio" || t.kind === "instrument");
        const taps = [MIX_OUT, ...tracks.map((t) => tapAt("devices", t.id)), { ...tapAt("group", "t0"), linked: true }];
        seen += resumesExactly(session, taps, blocks * DEFAULT_BLOCK);
      }),
      { numRuns: 9, seed: 31 },
    );
    expect(seen).toBeGreaterThan(12);
  });

  test("they hold what every device remembers: the sessions they are tested with have all of them", () => {
    const used = new Set<string>();
    fc.assert(
      fc.property(randomSessions(), (session) => {
        for (const t of session.tracks) for (const d of t.devices) used.add(d.type);
      }),
      { numRuns: 200, seed: 31 },
    );
    const all = catalogue.filter((d) => !d.realTime).map((d) => d.type);
    expect(all.filter((type) => !used.has(type))).toEqual([]);
  });
});
