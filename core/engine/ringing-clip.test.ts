import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import type { AudioClip } from "../session/document";
import { MIX_OUT, hashOf, listen, memoryLibrary, noise } from "../testing/listen";

const LENGTH = 30_000;
const PADDED = 400_000;
const sound = noise(LENGTH, 3, 0.4);
const silentBehind = { left: new Float32Array(PADDED), right: new Float32Array(PADDED) };
silentBehind.left.set(sound.left);
silentBehind.right.set(sound.right);
const library = memoryLibrary({ [hashOf(1)]: sound, [hashOf(2)]: silentBehind });
const asset = (id: string, frames: number) =>
  ({ id, name: id, frames, rate: 48000, channels: 2, origin: "imported" }) as const;

function heard(clips: readonly AudioClip[]) {
  const session = makeSession({
    name: "Ringing",
    rate: 48000,
    assets: [asset(hashOf(1), LENGTH), asset(hashOf(2), PADDED)],
    tracks: [
      makeTrack({ id: "a", name: "A", kind: "audio", output: "mix", clips: [...clips] }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  return listen(session, [MIX_OUT], { library })[0]!;
}

const process = [makeDevice("r", "reverb", { decayS: 0.4 })];
const clip = (id: string, start: number, more: Partial<AudioClip> = {}): AudioClip =>
  makeAudioClip({ id, asset: hashOf(1), start, frames: LENGTH, process, ...more });

describe("a clip whose effects ring on", () => {
  test("sounds as one that is longer by the silence in which they ring, wherever it stands", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 5000 }), fc.double({ min: -12, max: 6, noNaN: true }), (start, gainDb) => {
        const rings = heard([clip("a", start, { ringsOn: true, gainDb })]);
        const long = heard([clip("a", start, { asset: hashOf(2), frames: PADDED, gainDb })]);
        const short = heard([clip("a", start, { gainDb })]);
        const n = rings.left.length;
        expect(n).toBeGreaterThan(short.left.length + 4000);
        expect(rings.left).toEqual(long.left.subarray(0, n));
        // The whole of what would be heard: behind it is only what lies below the tail's floor.
        expect(Math.max(...long.left.subarray(n, n + 20000).map(Math.abs))).toBeLessThan(1e-4);
        expect(rings.right.subarray(0, start + LENGTH)).toEqual(short.right.subarray(0, start + LENGTH));
      }),
      { numRuns: 8 },
    );
  });

  test("rings under the clip that comes next, and ends with what another one cuts off", () => {
    const [first, second] = [clip("a", 0, { ringsOn: true }), clip("b", LENGTH, { process: [] })];
    const both = heard([first, second]);
    const [alone, next] = [heard([first]), heard([second])];
    for (let i = LENGTH; i < LENGTH + 8000; i += 7)
      expect(both.left[i]).toBeCloseTo((alone.left[i] ?? 0) + (next.left[i] ?? 0), 6);
    const cut = heard([first, clip("b", LENGTH - 5000, { process: [] })]);
    const over = heard([clip("b", LENGTH - 5000, { process: [] })]);
    expect(cut.left.subarray(LENGTH - 5000)).toEqual(over.left.subarray(LENGTH - 5000));
  });

  test("is faded in front of them: a fade out leaves the room ringing", () => {
    const fadeOut = { frames: 20000, shape: "linear" as const };
    const peak = (x: Float32Array) => x.subarray(LENGTH, LENGTH + 2000).reduce((m, v) => Math.max(m, Math.abs(v)), 0);
    expect(peak(heard([clip("a", 0, { fadeOut, ringsOn: true })]).left)).toBeGreaterThan(1e-3);
    expect(peak(heard([clip("a", 0, { fadeOut })]).left)).toBe(0);
  });

  test("without effects that are on it is as any other", () => {
    const plain = { process: [], fadeOut: { frames: 9000, shape: "linear" as const } };
    expect(heard([clip("a", 0, { ...plain, ringsOn: true })])).toEqual(heard([clip("a", 0, plain)]));
  });
});
