/// <reference lib="webworker" />
import { MissingAudio } from "../core/engine/library";
import type { Reshape } from "../core/session/clips";
import { reshapeKey } from "../core/session/clips";
import { reshapeAudio } from "../core/stretch/reshape";
import { makeStretcher } from "../core/stretch/stretcher";
import type { Frames, Hertz } from "../core/units";
import type { AudioOrigin } from "./audio-cache";
import { AudioCache } from "./audio-cache";
import { blocksFromNetwork } from "./network-audio";
import type { FromAudio, ToAudio } from "./messages";

/** The worker that fetches and reshapes audio for all engines, into memory they share. */
interface Stereo {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

const shared = (frames: Frames): Float32Array => new Float32Array(new SharedArrayBuffer(frames * 4));

const network: AudioOrigin = {
  blocks: blocksFromNetwork((bytes) => new SharedArrayBuffer(bytes)),
  async reshaped(reshape, rate) {
    await cache.open([reshape.asset]);
    await cache.loadWhole([reshape.asset]);
    const frames = cache.framesOf(reshape.asset, reshape);
    const made: Stereo = { left: shared(frames), right: shared(frames) };
    let at = 0;
    reshapeAudio(cache.library(reshape.asset), reshape, await makeStretcher(rate), (left, right, offset, count) => {
      made.left.set(left.subarray(offset, offset + count), at);
      made.right.set(right.subarray(offset, offset + count), at);
      at += count;
    });
    return made;
  },
};
const cache = new AudioCache(network);
const reshaped = new Map<string, Promise<Stereo>>();

/** The same for everybody who asks; what failed is tried again. */
function reshapedOnce(reshape: Reshape, rate: Hertz): Promise<Stereo> {
  const key = reshapeKey(reshape);
  const made = reshaped.get(key) ?? network.reshaped(reshape, rate);
  reshaped.set(key, made);
  made.catch(() => reshaped.delete(key));
  return made;
}

async function answer(message: ToAudio): Promise<FromAudio> {
  const { id } = message;
  try {
    return message.kind === "blocks"
      ? { id, kind: "blocks", ...(await cache.blocks(message.asset, message.first, message.end)) }
      : { id, kind: "reshaped", ...(await reshapedOnce(message.reshape, message.rate)) };
  } catch (error) {
    return {
      id,
      kind: "failed",
      missing: error instanceof MissingAudio ? error.hash : null,
      what: error instanceof Error ? error.message : String(error),
    };
  }
}

addEventListener("message", ({ data: port }: MessageEvent<MessagePort>) => {
  port.onmessage = ({ data }: MessageEvent<ToAudio>) => void answer(data).then((reply) => port.postMessage(reply));
});
