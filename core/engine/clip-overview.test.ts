import { describe, expect, test } from "vitest";
import { PEAK_FRAMES } from "../analysis/peaks";
import { makeAudioClip, makeDevice } from "../session/build";
import { hashOf, listen, memoryLibrary, noise, tapAt } from "../testing/listen";
import { clipOverview, clipSamples, soloOf } from "./clip-overview";
import { heldAudio, playedAssets } from "./needs";

const sound = noise(40_000, 8, 0.3);
const library = memoryLibrary({ [hashOf(1)]: sound });
const of = { rate: 48000 as const, tempo: [{ tick: 0, bpm: 96, shape: "hold" as const }], meter: [] };
const process = [makeDevice("s", "saturator", { driveDb: 9 }), makeDevice("d", "delay", { beats: 0.25, feedback: 40 })];
const clip = makeAudioClip({
  ...{ id: "c", asset: hashOf(1), start: 4321, offset: 777, frames: 30_000, process, gainDb: -6 },
  fadeIn: { frames: 900, shape: "S" },
  fadeOut: { frames: 2000, shape: "linear" },
});

describe("a clip as its effects leave it", () => {
  test.each([false, true])("holds the lowest and the highest of what is heard (rings on: %s)", (ringsOn) => {
    const bare = ringsOn ? { fadeIn: clip.fadeIn, fadeOut: clip.fadeOut } : {};
    const noFade = { frames: 0, shape: "linear" as const };
    const plain = { ...clip, gainDb: 0, fadeIn: noFade, fadeOut: noFade, ...bare, ringsOn };
    const [heard] = listen(soloOf(of, plain), [tapAt("clip", "clip")], { library });
    const overview = clipOverview(of, { ...clip, ringsOn }, library);
    expect(overview.length / 2).toBeGreaterThanOrEqual(Math.floor(30_000 / PEAK_FRAMES));
    if (ringsOn) expect(overview.length / 2).toBeGreaterThan(35_000 / PEAK_FRAMES);
    for (let k = 0; k < overview.length / 2 - 1; k++) {
      const from = 4321 + k * PEAK_FRAMES;
      const part = [
        ...heard!.left.subarray(from, from + PEAK_FRAMES),
        ...heard!.right.subarray(from, from + PEAK_FRAMES),
      ];
      expect(overview[2 * k]).toBe(Math.max(-127, Math.floor(127 * Math.min(0, ...part))));
      expect(overview[2 * k + 1]).toBe(Math.min(127, Math.ceil(127 * Math.max(0, ...part))));
    }
  });

  test.each([false, true])("single samples are those that are heard (rings on: %s)", (ringsOn) => {
    const bare = ringsOn ? { fadeIn: clip.fadeIn, fadeOut: clip.fadeOut } : {};
    const noFade = { frames: 0, shape: "linear" as const };
    const plain = { ...clip, gainDb: 0, fadeIn: noFade, fadeOut: noFade, ...bare, ringsOn };
    const [heard] = listen(soloOf(of, plain), [tapAt("clip", "clip")], { library });
    for (const [from, count] of [
      [0, 100],
      [12_345, 3000],
      // Over the clip's end, where it rings on or is silent.
      [29_000, 2500],
    ] as const) {
      const seen = clipSamples(of, { ...clip, ringsOn }, library, from, count);
      const stretch = (side: Float32Array) => {
        const part = new Float32Array(count);
        part.set(side.subarray(4321 + from, 4321 + from + count));
        return part;
      };
      expect(seen.left).toEqual(stretch(heard!.left));
      expect(seen.right).toEqual(stretch(heard!.right));
      expect(seen.left.some((v) => v !== 0)).toBe(true);
    }
  });

  test("what a clip's own effect holds is audio that playing needs", () => {
    const room = makeDevice("r", "convolution", {});
    const layer = { id: "l", asset: hashOf(2), pad: 0, softest: 1, loudest: 127, gainDb: 0, cents: 0 };
    const session = soloOf(of, { ...clip, process: [{ ...room, layers: [layer as never] }] });
    expect(heldAudio(session)).toEqual([hashOf(2)]);
    expect(new Set(playedAssets(session))).toEqual(new Set([hashOf(1), hashOf(2)]));
  });
});
