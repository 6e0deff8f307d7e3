import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import type { Session } from "../session/document";
import type { Heard } from "../testing/listen";
import { MIX_IN, MIX_OUT, hashOf, joined, listen, tapAt } from "../testing/listen";
import { randomSessions, recordedAssets, recordings as library } from "../testing/random-session";
import type { ExchangedSignal, SignalExchange } from "./exchange";
import { sessionEnd } from "./render";
import { sharePass } from "./split";
import type { Tap } from "./tap";
import { helpRender } from "./together";

/** A helper that runs first, in the same thread: what it gives is kept for the lead, which ends when it may. */
class Kept implements SignalExchange {
  private readonly blocks: { readonly signals: readonly ExchangedSignal[]; readonly lastLoud: number }[] = [];
  over = false;
  safe = 0;

  /** `end`: where the lead will find the end, known from a render alone; `ahead`: blocks to give beyond it for the lead's latency. */
  constructor(private readonly end: number, private readonly ahead: number) {}

  give(block: number, signals: readonly ExchangedSignal[], frames: number, lastLoud: number): void {
    expect(block).toBe(this.blocks.length);
    this.blocks.push({ signals: signals.map(({ left, right, silent }) => ({ left: left.slice(0, frames), right: right.slice(0, frames), silent })), lastLoud });
    if (block * frames > this.end + this.ahead) this.finish(this.end);
  }

  take(block: number, signals: readonly ExchangedSignal[]): number {
    const kept = this.blocks[block];
    if (!kept) throw new Error(`block ${block} was never given`);
    signals.forEach((s, i) => {
      const from = kept.signals[i]!;
      s.left.set(from.left);
      s.right.set(from.right);
      s.silent = from.silent;
    });
    return kept.lastLoud;
  }

  passed(): void {}

  finish(frame: number): void {
    this.safe = frame;
    this.over = true;
  }
}

const same = (a: Heard, b: Heard) => Buffer.from(a.left.buffer).equals(Buffer.from(b.left.buffer)) && Buffer.from(a.right.buffer).equals(Buffer.from(b.right.buffer));

/** All taps, some rendered by a helper that gives the rest of what it computes to the lead. */
function inTwo(s: Session, taps: readonly Tap[], tail: "measured" | "none", end: number, leastSum: number): readonly Heard[] | null {
  const plan = sharePass(s, taps, leastSum);
  if (!plan) return null;
  const exchange = new Kept(end, 16384);
  const parts = plan.help.map(() => ({ left: [] as Float32Array[], right: [] as Float32Array[] }));
  const to = sessionEnd(s);
  helpRender({
    session: s, library, from: 0, to, tail,
    taps: plan.help.map((i, k) => ({ tap: taps[i]!, sink: (l, r, offset, n) => { parts[k]!.left.push(l.slice(offset, offset + n)); parts[k]!.right.push(r.slice(offset, offset + n)); } })),
  }, plan.work, exchange);
  const lead = listen(s, plan.lead.map((i) => taps[i]!), { library, to, tail, helped: { work: plan.work, exchange } });
  const all: Heard[] = [];
  plan.lead.forEach((i, k) => { all[i] = lead[k]!; });
  plan.help.forEach((i, k) => { all[i] = { left: joined(parts[k]!.left), right: joined(parts[k]!.right) }; });
  return all;
}

describe("a pass in two halves", () => {
  test("every tap is the same to the last bit, and ends where it would", () => {
    let shared = 0;
    let begun = 0;
    fc.assert(fc.property(randomSessions(), fc.constantFrom("measured" as const, "none" as const), fc.boolean(), fc.boolean(), fc.constantFrom(1, 2, 99), (s, tail, linked, returns, leastSum) => {
      const stems = s.tracks.filter((t) => t.kind !== "mix" && t.kind !== "group");
      const taps: readonly Tap[] = [...stems.map((t, i) => ({ ...tapAt("group", t.id), linked, returns: returns && i === 0 })), MIX_IN, MIX_OUT];
      const alone = listen(s, taps, { library, tail });
      const both = inTwo(s, taps, tail, alone[0]!.left.length, leastSum);
      if (!both) return;
      shared++;
      if (sharePass(s, taps, leastSum)!.work.sums.length > 0) begun++;
      both.forEach((heard, i) => expect(same(heard, alone[i]!), `tap ${i}`).toBe(true));
    }), { numRuns: 40, seed: 5 });
    expect([shared > 10, begun > 5]).toEqual([true, true]);
  });

  test("tracks into a group that is parked are in nobody's way", () => {
    const s = makeSession({
      assets: recordedAssets,
      tracks: [
        ...Array.from({ length: 12 }, (_, i) => makeTrack({ id: `t${i}`, name: `T${i}`, kind: "audio", output: i < 6 ? "g" : "mix", clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 9000 })], devices: [makeDevice(`d${i}`, "eq", { lowDb: 2 })] })),
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
        ...Array.from({ length: 12 }, (_, i) => makeTrack({ id: `t${i}`, name: `T${i}`, kind: "audio", clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 9000 })], devices: [makeDevice(`d${i}`, "eq", { lowDb: 2 })] })),
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
