import { describe, expect, test } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../session/build";
import { applyStep } from "../session/edits";
import { hashOf, noise } from "../testing/listen";
import type { Edges, Finding, Listen } from "./findings";
import { attackFindings, clippedFindings, endFindings, mendingEdits } from "./findings";
import type { PrintFile } from "./print";
import { plainSlip } from "./slip";

const FRAMES = 480;
const side = (value: (i: number) => number) => Float32Array.from({ length: FRAMES }, (_, i) => value(i));
const both = (value: (i: number) => number) => [side(value), side(value)] as const;
const quiet = both(() => 0);
const file = { sources: ["t"], velocities: null } as unknown as PrintFile;
const plan = { slip: plainSlip(["t"]), tail: "whole" as const };
const ends = (edges: Partial<Edges>, endDb: number | null = null, slip = plan.slip) =>
  endFindings(file, { ...plan, slip }, { first: quiet, last: quiet, ...edges }, { endDb });

describe("the ends of a print", () => {
  test("silence, or what is too soft to be a click, is nothing to find", () => {
    expect(ends({})).toEqual([]);
    expect(ends({ first: both(() => 0.003), last: both(() => 0.003) })).toEqual([]);
  });

  test("a jump at either end is found, with its level: half of full scale is 6 dB down", () => {
    const [start, end] = [both(() => 0.5), both((i) => (i === FRAMES - 1 ? 0.5 : 0))];
    expect(ends({ first: start })).toEqual([{ kind: "edge", at: "start", jumpDb: expect.closeTo(-6.02, 2) as number }]);
    expect(ends({ last: end })).toEqual([{ kind: "edge", at: "end", jumpDb: expect.closeTo(-6.02, 2) as number }]);
  });

  test("a hit that begins with the file is no jump: within a millisecond it grows far beyond its first sample", () => {
    expect(ends({ first: both((i) => Math.min(1, 0.05 + i / 20)) })).toEqual([]);
  });

  test("what still sounds at its end has lost its tail, but not at the clips, and not a loop", () => {
    expect(ends({}, -40)).toEqual([{ kind: "cut tail", endDb: -40 }]);
    expect(ends({}, -80)).toEqual([]);
    expect(ends({}, -40, { ...plan.slip, tap: "clip" })).toEqual([]);
    expect(ends({ first: both(() => 0.5) }, -40, { ...plan.slip, seam: { by: "fold" } })).toEqual([]);
  });

  test("samples held at full scale are counted", () => {
    expect(clippedFindings({ clippedSamples: 0 })).toEqual([]);
    expect(clippedFindings({ clippedSamples: 7 })).toEqual([{ kind: "clipped", samples: 7 }]);
  });
});

describe("a fade over the first hit", () => {
  const session = makeSession({
    assets: [{ id: hashOf(1), name: "hit", frames: 48000, rate: 48000, channels: 2, origin: "imported" }],
    tracks: [
      makeTrack({
        id: "t",
        name: "T",
        kind: "audio",
        clips: [
          {
            ...makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 24000 }),
            fadeIn: { frames: 4800, shape: "linear" },
          },
        ],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  /** Silence, then a burst that decays from frame 960 on. */
  const hit: Listen = (_asset, from, count) => {
    const x = Float32Array.from({ length: count }, (_, i) => {
      const at = from + i - 960;
      return at < 0 ? 0 : 0.9 * Math.exp(-at / 2000) * Math.sin(at / 3);
    });
    return [x, x];
  };

  test("is found with where the hit is and what it loses, and mended by a fade of half a millisecond", () => {
    const [found] = attackFindings(session, file, null, hit) as [Extract<Finding, { kind: "dull attack" }>];
    expect(found).toMatchObject({ kind: "dull attack", track: "t", clip: "c", fadeFrames: 4800 });
    expect(Math.abs(found.onset - 960)).toBeLessThan(240);
    // The fade is at a fifth to a third where the hit is: 10 to 14 dB less.
    expect(found.lossDb).toBeGreaterThan(9);
    const mended = applyStep(session, { label: "x", edits: [...mendingEdits(session, found, hashOf(9))] });
    if (!mended.ok) throw new Error("refused");
    expect(attackFindings(mended.value.session, file, null, hit)).toEqual([]);
  });

  test("is none where steady noise begins, in the middle of a recording or at its start", () => {
    for (const from of [0, 24000]) {
      const steady: Listen = (_asset, at, count) => {
        const x = noise(96000, 3, 0.5).left.subarray(from + at, from + at + count);
        return [x, x];
      };
      expect(attackFindings(session, file, null, steady)).toEqual([]);
    }
  });

  test("is not looked for in clips that are not printed", () => {
    expect(attackFindings(session, file, ["other"], hit)).toEqual([]);
  });

  test("an edge is faded wherever the print plays, and nowhere where it does not", () => {
    const edge: Finding = { kind: "edge", at: "start", jumpDb: -6 };
    expect(mendingEdits(session, edge, hashOf(1))).toMatchObject([{ id: "c", patch: { fadeIn: { frames: 24 } } }]);
    expect(mendingEdits(session, edge, hashOf(2))).toEqual([]);
  });
});
