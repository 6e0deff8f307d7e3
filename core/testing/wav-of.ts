import { MemorySink, MemorySource } from "../formats/bytes/bytes";
import { WavWriter } from "../formats/wav/write";
import { randomBipolar } from "../random";
import type { TimelineMedia } from "../timeline/timeline";

/**
 * A WAV of 16 bits for a file of a random timeline, the same for the same file, and its bytes up to the first sample.
 */
export function wavOf({ id, frames, rate, channels }: TimelineMedia): {
  readonly file: MemorySource;
  readonly head: Uint8Array;
} {
  const sink = new MemorySink();
  const format = { rate, channels: channels === 1 ? (1 as const) : (2 as const), depth: "16" as const };
  const writer = new WavWriter(sink, { format, bext: null, ditherSeed: null });
  const seed = [...id].reduce((n, c) => n * 31 + c.charCodeAt(0), 7) % 1_000_000;
  const left = Float32Array.from({ length: frames }, (_, i) => 0.25 * randomBipolar(seed, i));
  const right = Float32Array.from({ length: frames }, (_, i) => 0.25 * randomBipolar(seed + 1, i));
  writer.write(left, channels === 1 ? left : right, 0, frames);
  writer.finish(null);
  const bytes = sink.bytes().slice();
  return { file: new MemorySource(bytes), head: bytes.slice(0, headBytes(bytes)) };
}

/** Where the samples of a small WAV begin. */
function headBytes(bytes: Uint8Array): number {
  for (let at = 12; at + 8 <= bytes.length;) {
    const size = new DataView(bytes.buffer, bytes.byteOffset).getUint32(at + 4, true);
    if (String.fromCharCode(...bytes.subarray(at, at + 4)) === "data") return at + 8;
    at += 8 + size + (size % 2);
  }
  return bytes.length;
}
