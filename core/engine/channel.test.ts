import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeLane, makeTrack } from "../session/build";
import type { Automation, Track } from "../session/document";
import { tempoMap } from "../time/tempo";
import { Arena } from "../kernels/arena";
import { curveOf } from "./automation";
import { Channel, panGains } from "./channel";

const tempo = tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], 48000);
const FRAMES = 4096;
const lane = (
  target: Automation["target"],
  ...points: readonly (readonly [tick: number, value: number, shape: "hold" | "linear"])[]
): Automation =>
  makeLane(
    target,
    target,
    points.map(([tick, value, shape]) => ({ tick, value, shape })),
  );

/** What a channel does to a constant 1 on both sides. */
function gains(track: Partial<Track>, block: number): { readonly left: Float32Array; readonly right: Float32Array } {
  const made = makeTrack({ id: "t", name: "T", kind: "audio", ...track });
  const { channel, one, left, right } = Arena.for((arena) => ({
    channel: new Channel(made, tempo, arena),
    one: arena.float32(block),
    left: arena.float32(block),
    right: arena.float32(block),
  }));
  one.fill(1);
  const out = { left: new Float32Array(FRAMES), right: new Float32Array(FRAMES) };
  for (let at = 0; at < FRAMES; at += block) {
    channel.process(one, one, left, right, block, at, false);
    out.left.set(left, at);
    out.right.set(right, at);
  }
  return out;
}

describe("pan law", () => {
  test("constant power, exactly 1 at the centre, silent on the far side", () => {
    expect(panGains(0)).toEqual([1, 1]);
    for (const pan of [-1, -0.6, -0.1, 0.3, 0.9, 1]) {
      const [l, r] = panGains(pan);
      expect(l * l + r * r).toBeCloseTo(2, 12);
    }
    expect(panGains(-1)[1]).toBeLessThan(1e-15);
    expect(panGains(1)[0]).toBeLessThan(1e-15);
    const [l, r] = panGains(0.4);
    expect(panGains(-0.4)[0]).toBeCloseTo(r, 12);
    expect(panGains(-0.4)[1]).toBeCloseTo(l, 12);
  });
});

describe("channel", () => {
  test("fader at 0 dB and pan at the centre pass the signal bit for bit; -6.02 dB halves it", () => {
    expect(gains({}, 512).left.every((v) => v === 1)).toBe(true);
    expect(gains({ faderDb: -6.0206 }, 512).left[100]).toBeCloseTo(0.5, 6);
    expect(gains({ faderDb: -144 }, 512).left.every((v) => v === 0)).toBe(true);
    expect(gains({ mute: true }, 512).right.every((v) => v === 0)).toBe(true);
  });

  test("a ride takes its points' values at their time and moves in straight lines of 64 frames between", () => {
    // 160 ticks at 120 bpm are 4000 frames.
    const { left } = gains({ automation: [lane("fader", [0, -20, "linear"], [160, 0, "hold"])] }, 512);
    const db = (f: number) => 20 * Math.log10(left[f]!);
    expect(db(0)).toBeCloseTo(-20, 4);
    expect(db(1984)).toBeCloseTo(-20 + (20 * 1984) / 4000, 3);
    expect(db(4095)).toBeCloseTo(0, 4);
    for (let f = 65; f < 128; f++) expect(left[f]! - left[f - 1]!).toBeCloseTo(left[66]! - left[65]!, 6);
    // Nothing jumps by more than the ride asks for: no zipper.
    for (let f = 1; f < FRAMES; f++) expect(Math.abs(left[f]! - left[f - 1]!)).toBeLessThan(0.001);
  });

  test("how the audio is cut into blocks never changes a bit", () => {
    const rides = fc.array(
      fc.tuple(
        fc.integer({ min: 1, max: 90 }),
        fc.double({ min: -40, max: 6, noNaN: true }),
        fc.constantFrom("hold" as const, "linear" as const),
      ),
      { minLength: 1, maxLength: 5 },
    );
    fc.assert(
      fc.property(rides, fc.double({ min: -1, max: 1, noNaN: true }), (steps, pan) => {
        let tick = 0;
        const points = steps.map(([gap, value, shape]) => [(tick += gap), value, shape] as const);
        const track = {
          pan,
          automation: [lane("fader", ...points), lane("pan", [0, -1, "linear"], [120, pan, "hold"])],
        };
        const whole = gains(track, 4096);
        for (const block of [64, 512]) expect(gains(track, block)).toEqual(whole);
      }),
      { numRuns: 25 },
    );
  });

  test("before its first point and after its last a ride stays where they are", () => {
    const value = curveOf(lane("fader", [480, -3, "hold"], [960, -9, "linear"]), tempo);
    expect([value(0), value(11999), value(12000), value(23999), value(24000), value(999999)]).toEqual([
      -3, -3, -3, -3, -9, -9,
    ]);
  });
});
