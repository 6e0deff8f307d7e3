/// <reference lib="webworker" />
import { clipOverview, clipSamples, soloOf } from "../core/engine/clip-overview";
import { heldAudio, playedAssets } from "../core/engine/needs";
import { reshapeOf } from "../core/session/clips";
import type { Frames } from "../core/units";
import type { AudioClip, Session } from "../core/session/document";
import { reshapeAudio } from "../core/stretch/reshape";
import { makeStretcher } from "../core/stretch/stretcher";
import type { AudioOrigin } from "./audio-cache";
import { AudioCache } from "./audio-cache";
import { blocksFromNetwork } from "./network-audio";

/**
 * A clip whose effects are to be seen; `of`: what of the session they depend on. `samples`: these are wanted, and no
 * overview, from a frame of the clip on.
 */
export interface ToOverview {
  readonly id: number;
  readonly clip: AudioClip;
  readonly of: Pick<Session, "rate" | "tempo" | "meter">;
  readonly samples: { readonly from: Frames; readonly count: Frames } | null;
}

export interface Seen {
  readonly overview?: Int8Array<ArrayBuffer>;
  readonly left?: Float32Array<ArrayBuffer>;
  readonly right?: Float32Array<ArrayBuffer>;
}

/** What there is to see; nothing where it cannot be had. */
export interface FromOverview extends Seen {
  readonly id: number;
}

const network: AudioOrigin = {
  blocks: blocksFromNetwork((bytes) => new ArrayBuffer(bytes)),
  async reshaped(reshape, rate) {
    await cache.open([reshape.asset]);
    await cache.loadWhole([reshape.asset]);
    const parts: { readonly left: Float32Array; readonly right: Float32Array }[] = [];
    reshapeAudio(cache.library(reshape.asset), reshape, await makeStretcher(rate), (left, right, offset, count) =>
      parts.push({ left: left.slice(offset, offset + count), right: right.slice(offset, offset + count) }),
    );
    return { left: joined(parts.map((p) => p.left)), right: joined(parts.map((p) => p.right)) };
  },
};
const cache = new AudioCache(network);

function joined(parts: readonly Float32Array[]): Float32Array {
  const all = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}

async function seenOf({ clip, of, samples }: ToOverview): Promise<Seen> {
  const session = soloOf(of, clip);
  await cache.open(playedAssets(session));
  await cache.loadWhole(heldAudio(session));
  const reshape = reshapeOf(clip);
  if (reshape) await cache.reshape([reshape], of.rate);
  else await cache.loadWhole([clip.asset]);
  return samples
    ? clipSamples(of, clip, cache.library, samples.from, samples.count)
    : { overview: clipOverview(of, clip, cache.library) };
}

/** One after the other: each may take a processor for a while. */
let before: Promise<unknown> = Promise.resolve();

addEventListener("message", ({ data }: MessageEvent<ToOverview>) => {
  before = before
    .then(() => seenOf(data))
    .then(
      (seen) =>
        postMessage(
          { id: data.id, ...seen } satisfies FromOverview,
          [seen.overview, seen.left, seen.right].flatMap((part) => (part ? [part.buffer] : [])),
        ),
      () => postMessage({ id: data.id } satisfies FromOverview),
    );
});
