import type { ByteSource } from "../bytes/bytes";
import { MemorySource, bytesAt, tagAt } from "../bytes/bytes";
import { MemorySink } from "../bytes/bytes";
import type { RawFormat } from "../wav/read";
import type { StoredObject } from "./store";

/** What a descriptor says of a file of sound. */
export interface SoundFacts {
  readonly rate: number;
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
    channels: stated?.channels ?? descriptor.uint32(P.channels) ?? 1,
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
  const align = channels * Math.ceil(bits / 8);
  const sink = new MemorySink();
  const head = new DataView(new ArrayBuffer(44));
  const letters = (at: number, s: string) => [...s].forEach((c, i) => head.setUint8(at + i, c.charCodeAt(0)));
  const size = Math.min(stream.size - (stream.size % Math.max(1, align)), 0xfffffff0 - 36);
  letters(0, "RIFF");
  head.setUint32(4, size + 36, true);
  letters(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 1, true);
  head.setUint16(22, channels & 0xffff, true);
  head.setUint32(24, rate >>> 0, true);
  head.setUint32(28, (rate * align) >>> 0, true);
  head.setUint16(32, align & 0xffff, true);
  head.setUint16(34, bits & 0xffff, true);
  letters(36, "data");
  head.setUint32(40, size, true);
  sink.write(new Uint8Array(head.buffer));
  return new JoinedSource(new MemorySource(sink.bytes()), stream, size);
}

/** Two sources, one behind the other. */
class JoinedSource implements ByteSource {
  readonly size: number;

  constructor(
    private readonly first: ByteSource,
    private readonly second: ByteSource,
    secondBytes: number,
  ) {
    this.size = first.size + secondBytes;
  }

  read(at: number, into: Uint8Array): void {
    const inFirst = Math.max(0, Math.min(into.length, this.first.size - at));
    if (inFirst > 0) this.first.read(at, into.subarray(0, inFirst));
    if (inFirst < into.length) this.second.read(at + inFirst - this.first.size, into.subarray(inFirst));
  }
}
