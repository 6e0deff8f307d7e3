import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSend, makeSession, makeTrack } from "../session/build";
import type { Session } from "../session/document";
import { MIX_IN, MIX_OUT, hashOf, listen, tapAt } from "../testing/listen";
import { recordedAssets, recordings as library } from "../testing/random-session";
import type { SumExchange } from "./exchange";
import { sessionEnd } from "./render";
import { splitMix } from "./split";
import { helpMix } from "./together";

/** Sessions with more inputs to the mix than one run, groups, a return and a key across the halves. */
const wide = fc.record({
  tracks: fc.array(fc.record({ fader: fc.double({ min: -20, max: 0, noNaN: true }), device: fc.constantFrom("eq", "limiter", "saturator", "none"), start: fc.nat(5000), group: fc.boolean(), keyed: fc.boolean() }), { minLength: 12, maxLength: 20 }),
}).map(({ tracks }): Session => makeSession({
  name: "Wide", assets: recordedAssets,
  tracks: [
    ...tracks.map((t, i) => makeTrack({
      id: `t${i}`, name: `T${i}`, kind: "audio", output: t.group ? "g" : "mix", faderDb: t.fader, sends: i % 5 === 0 ? [makeSend(`s${i}`, "hall", -9)] : [],
      clips: [makeAudioClip({ id: "c", asset: hashOf((i % 3) + 1), start: t.start, frames: 9000 })],
      devices: [...(t.device === "none" ? [] : [makeDevice(`d${i}`, t.device)]), ...(t.keyed && i > 0 ? [makeDevice(`k${i}`, "compressor", { thresholdDb: -40 }, "t0")] : [])],
    })),
    makeTrack({ id: "g", name: "G", kind: "group" }),
    makeTrack({ id: "hall", name: "Hall", kind: "return", devices: [makeDevice("h", "reverb", { decayS: 0.3 })] }),
    makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice("m", "limiter", { ceilingDb: -6 })] }),
  ],
}));

/** What a helper gives, kept until it is taken. */
class Kept implements SumExchange {
  private readonly sums = new Map<string, { left: Float64Array; right: Float64Array; silent: boolean }>();
  over = false;
  taken = 0;

  constructor(readonly runs: readonly number[], private readonly blocks: number) {}

  give(block: number, run: number, left: Float64Array, right: Float64Array, frames: number, silent: boolean): void {
    this.sums.set(`${block}/${run}`, { left: left.slice(0, frames), right: right.slice(0, frames), silent });
    if (block === this.blocks && run === this.runs.at(-1)) this.over = true;
  }

  take(block: number, run: number, left: Float64Array, right: Float64Array): boolean {
    const kept = this.sums.get(`${block}/${run}`);
    if (!kept) throw new Error(`block ${block} of run ${run} was never given`);
    this.taken++;
    left.set(kept.left);
    right.set(kept.right);
    return kept.silent;
  }
}

describe("a mix in two halves", () => {
  test("is the mix to the last bit, whichever runs are computed elsewhere", () => {
    fc.assert(fc.property(wide, fc.constantFrom(MIX_OUT, MIX_IN), (s, tap) => {
      const to = sessionEnd(s);
      const runs = splitMix(s);
      const alone = listen(s, [tap], { library, to, tail: "none" })[0]!;
      if (runs.length === 0) return;
      const kept = new Kept(runs, Math.ceil(to / 512) + 8);
      helpMix({ session: s, taps: [{ tap, sink: () => undefined }], library, from: 0, to, tail: "none" }, kept);
      const shared = listen(s, [tap], { library, to, tail: "none", outside: kept })[0]!;
      expect(Buffer.from(shared.left.buffer).equals(Buffer.from(alone.left.buffer))).toBe(true);
      expect(Buffer.from(shared.right.buffer).equals(Buffer.from(alone.right.buffer))).toBe(true);
      expect(kept.taken).toBeGreaterThan(0);
    }), { numRuns: 12, seed: 5 });
  });

  test("a few inputs are not worth sharing, many are halved by what they cost", () => {
    const of = (n: number) => makeSession({ tracks: [...Array.from({ length: n }, (_, i) => makeTrack({ id: `t${i}`, name: "T", kind: "audio" })), makeTrack({ id: "mix", name: "Mix", kind: "mix" })] });
    expect(splitMix(of(8))).toEqual([]);
    expect(splitMix(of(48)).length).toBe(3);
  });

  test("a helper without a mix says so", () => {
    const s = makeSession({ tracks: [makeTrack({ id: "a", name: "A", kind: "audio" }), makeTrack({ id: "mix", name: "Mix", kind: "mix" })] });
    expect(() => helpMix({ session: s, taps: [{ tap: tapAt("devices", "a"), sink: () => undefined }], library, from: 0, to: 512, tail: "none" }, new Kept([0], 1))).toThrow(RangeError);
  });
});
