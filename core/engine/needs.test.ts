import fc from "fast-check";
import { expect, test } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../session/build";
import { hashOf } from "../testing/listen";
import { randomSessions, recordedAssets, recordings } from "../testing/random-session";
import { LiveMix } from "./live";
import { audioNeeds, heldAudio, playedAssets } from "./needs";

test("everything that playing reads was foreseen", () => {
  fc.assert(
    fc.property(randomSessions(), fc.nat(20000), (session, at) => {
      const held = new Set(heldAudio(session));
      const played = new Set(playedAssets(session));
      const read: { readonly asset: string; readonly from: number; readonly to: number }[] = [];
      const mix = new LiveMix({
        session,
        soloed: new Set(),
        at,
        blockFrames: 256,
        pass: 0,
        now: () => 0,
        library: (hash, reshape) => {
          const audio = recordings(hash, reshape);
          return {
            ...audio,
            read(from, count, left, right, offset) {
              read.push({ asset: hash, from, to: from + count });
              audio.read(from, count, left, right, offset);
            },
          };
        },
      });
      while (mix.at < at + 12000) {
        const needs = audioNeeds(session, mix.reads.from, mix.reads.to, (asset) => recordings(asset).frames);
        read.length = 0;
        mix.render(() => undefined);
        for (const r of read) {
          expect(played.has(r.asset)).toBe(true);
          if (held.has(r.asset)) continue;
          expect(
            needs.some((n) => n.asset === r.asset && n.from <= r.from && n.to >= r.to),
            `${r.from} to ${r.to} of ${r.asset.slice(0, 4)}, foreseen ${JSON.stringify(needs)}`,
          ).toBe(true);
        }
      }
    }),
    { numRuns: 20, seed: 9 },
  );
});

test("only what sounds in the stretch, and backwards from the end where it is reversed", () => {
  const session = makeSession({
    assets: recordedAssets,
    tracks: [
      makeTrack({
        id: "a",
        name: "A",
        kind: "audio",
        clips: [
          makeAudioClip({ id: "c1", asset: hashOf(1), start: 1000, frames: 2000, offset: 500 }),
          { ...makeAudioClip({ id: "c2", asset: hashOf(2), start: 5000, frames: 2000 }), reverse: true },
        ],
      }),
      makeTrack({
        id: "b",
        name: "B",
        kind: "audio",
        parked: true,
        clips: [makeAudioClip({ id: "c3", asset: hashOf(3), start: 0, frames: 48000 })],
      }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ],
  });
  const needs = (from: number, to: number) =>
    audioNeeds(session, from, to, () => 48000).map((n) => [n.asset, n.from, n.to]);
  expect(needs(0, 1000)).toEqual([]);
  expect(needs(1200, 4000)).toEqual([[hashOf(1), 700, 2500]]);
  expect(needs(5000, 5100)).toEqual([[hashOf(2), 47900, 48000]]);
  expect(playedAssets(session)).toEqual([hashOf(1), hashOf(2)]);
});
