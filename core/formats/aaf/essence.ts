import type { ByteSource } from "../bytes/bytes";
import { HeadedSource, MalformedFile, bytesAt, tagAt } from "../bytes/bytes";
import { plainHead } from "../wav/cut";
import { frameBytes } from "../wav/format";
import type { RawFormat } from "../wav/read";
import type { StoredObject } from "./store";

/** What a descriptor says of a file of sound. */
export interface SoundFacts {
  readonly rate: number;
  /** 0: it does not say. */
  readonly channels: number;
  readonly bits: number;
  readonly frames: number;
}

/** Numbers of properties of descriptors. AAF Object Specification, annex A. */
const P = {
  sampleRate: 0x3001,
  length: 0x3002,
  bits: 0x3d01,
  audioRate: 0x3d03,
  channels: 0x3d07,
  waveSummary: 0x3801,
} as const;

/** As much as a plain WAV holds. */
const MOST_BARE_BYTES = 0xffff0000;

/** Facts of a file descriptor, as far as it says them; its own format's header knows best. */
export function soundFacts(descriptor: StoredObject, stated: RawFormat | null): SoundFacts {
  const rateOf = (pid: number) => {
    const r = descriptor.rational(pid);
    return r ? r.numerator / r.denominator : 0;
  };
  const rate = stated?.rate ?? (rateOf(P.audioRate) || rateOf(P.sampleRate) || 48000);
  const units = descriptor.int64(P.length) ?? 0;
  // The length counts in the descriptor's own rate, which may be that of pictures.
  const unitRate = rateOf(P.sampleRate) || rate;
  return {
    rate: Number.isFinite(rate) && rate > 0 ? Math.round(rate) : 48000,
    channels: stated?.channels ?? descriptor.uint32(P.channels) ?? 0,
    bits: stated?.bits ?? descriptor.uint32(P.bits) ?? 16,
    frames: Math.max(0, Math.round((units * rate) / unitRate)),
  };
}

/** The format that a WAVE descriptor quotes from its file; null where it does not. */
export function quotedFormat(descriptor: StoredObject): RawFormat | null {
  const summary = descriptor.data(P.waveSummary);
  if (!summary || summary.length < 12) return null;
  const view = new DataView(summary.buffer, summary.byteOffset, summary.length);
  for (let at = 12; at + 8 <= summary.length;) {
    const size = view.getUint32(at + 4, true);
    if (tagAt(summary, at) === "fmt " && at + 24 <= summary.length)
      return {
        code: view.getUint16(at + 8, true),
        channels: view.getUint16(at + 10, true),
        rate: view.getUint32(at + 12, true),
        align: view.getUint16(at + 20, true),
        bits: view.getUint16(at + 22, true),
        at,
      };
    at += 8 + size + (size % 2);
  }
  return null;
}

/** The sound in a file as a file of its own: as it is where it is a WAV or an AIFF, with a header where it is bare. */
export function essenceFile(stream: ByteSource, { rate, channels, bits }: SoundFacts): ByteSource {
  const tag = stream.size >= 12 ? tagAt(bytesAt(stream, 0, 12), 0) : "";
  if (["RIFF", "RF64", "BW64", "FORM"].includes(tag)) return stream;
  const depth = (["16", "24", "32"] as const).find((d) => Number(d) === bits);
  const width = ([1, 2] as const).find((n) => n === (channels || 1));
  if (!depth || !width) throw new MalformedFile(`Bare samples of ${bits} bits in ${channels} channels are not read`);
  const format = { rate, channels: width, depth };
  const frames = Math.floor(Math.min(stream.size, MOST_BARE_BYTES) / frameBytes(format));
  return new HeadedSource(plainHead(format, frames), stream, frames * frameBytes(format));
}
