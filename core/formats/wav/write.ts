import type { Bytes } from "../../kernels/kernels";
import { KernelMemory } from "../../kernels/kernels";
import type { Frames } from "../../units";
import type { ByteSink } from "../bytes/bytes";
import type { Bext, BextLoudness, WavChunk, WavFormat } from "./format";
import {
  BEXT_BYTES,
  DS64_BYTES,
  FORMAT_IEEE_FLOAT,
  FORMAT_PCM,
  SIZE_IN_DS64,
  bytesPerSample,
  frameBytes,
} from "./format";

const CHUNK_FRAMES = 4096;
/** Bytes that packing may write behind what it packs. */
const PACK_SLACK = 4;
/** bext marks a loudness value as unknown with this. EBU Tech 3285 v2, 2.4. */
const UNKNOWN_LOUDNESS = 0x7fff;

export interface WavWriteOptions {
  readonly format: WavFormat & { readonly depth: "16" | "24" | "32f" };
  readonly bext: Bext | null;
  /** Chunks of other kinds, in front of the samples. */
  readonly chunks?: readonly WavChunk[];
  /** Seed of triangular dither for whole-number depths; null rounds. The same frame always gets the same dither. */
  readonly ditherSeed: number | null;
  /**
   * Gets what is written as it comes back from the file: held at full scale, dithered, rounded. A mono file's channel
   * comes in both.
   */
  readonly asWritten?: (left: Float32Array, right: Float32Array, offset: number, count: Frames) => void;
  /** A smaller limit than the real one, to exercise RF64 on small files. */
  readonly riffLimit?: number;
}

/** Streams a WAV file; becomes RF64 by itself when it outgrows 4 GB, for which room is kept in the header. */
export class WavWriter {
  private readonly memory = new KernelMemory(CHUNK_FRAMES * 16 + 96);
  private readonly left = this.memory.float32(CHUNK_FRAMES);
  private readonly right = this.memory.float32(CHUNK_FRAMES);
  private readonly bytes: Bytes;
  /** The same bytes as numbers, little end first as every machine has them that runs the kernels. */
  private readonly floats: Float32Array;
  private readonly words: Int16Array;
  private readonly dataStart: number;
  private written: Frames = 0;
  /** Samples that lay beyond full scale and were held at it. */
  clipped = 0;
  /** Whether both channels of all that was to be written are the same to the last bit. */
  alike = true;

  constructor(
    private readonly sink: ByteSink,
    private readonly options: WavWriteOptions,
  ) {
    const { format } = options;
    this.bytes = this.memory.bytes(CHUNK_FRAMES * frameBytes(format) + PACK_SLACK);
    this.floats = new Float32Array(this.bytes.buffer, this.bytes.byteOffset, this.bytes.length >> 2);
    this.words = new Int16Array(this.bytes.buffer, this.bytes.byteOffset, this.bytes.length >> 1);
    const header = this.header(0, options.bext?.loudness ?? null);
    this.dataStart = header.length;
    sink.write(header);
  }

  /** Appends `count` frames found at `offset`; a mono file takes the left channel. */
  write(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    for (let done = 0; done < count;) {
      const n = Math.min(CHUNK_FRAMES, count - done);
      const used =
        this.options.format.depth === "32f"
          ? this.packFloat(left, right, offset + done, n)
          : this.packWhole(left, right, offset + done, n);
      this.sink.write(this.bytes.subarray(0, used));
      this.written += n;
      done += n;
    }
  }

  /** Appends a whole number of frames that lie as they do in this file, from another one. */
  append(bytes: Uint8Array): void {
    this.sink.write(bytes);
    this.written += bytes.length / frameBytes(this.options.format);
  }

  /** Appends `count` frames of digital silence: there is nothing in it that dither could keep smooth. */
  silence(count: Frames): void {
    const zeros = new Uint8Array(CHUNK_FRAMES * frameBytes(this.options.format));
    const none = new Float32Array(CHUNK_FRAMES);
    for (let left = count; left > 0; left -= CHUNK_FRAMES) {
      const n = Math.min(CHUNK_FRAMES, left);
      this.options.asWritten?.(none, none, 0, n);
      this.sink.write(zeros.subarray(0, n * frameBytes(this.options.format)));
      this.written += n;
    }
  }

  /** Fills in the sizes, and the loudness if it is known only now. Returns the file's length in bytes. */
  finish(loudness: BextLoudness | null = this.options.bext?.loudness ?? null): number {
    const dataBytes = this.written * frameBytes(this.options.format);
    if (dataBytes % 2 === 1) this.sink.write(new Uint8Array(1));
    this.sink.patch(0, this.header(dataBytes, loudness));
    return this.dataStart + dataBytes + (dataBytes % 2);
  }

  private packFloat(left: Float32Array, right: Float32Array, offset: number, n: Frames): number {
    const { floats } = this;
    const { channels } = this.options.format;
    for (let i = offset; this.alike && i < offset + n; i++) if (left[i] !== right[i]) this.alike = false;
    this.options.asWritten?.(left, channels === 1 ? left : right, offset, n);
    if (channels === 1) floats.set(left.subarray(offset, offset + n));
    else {
      for (let i = 0; i < n; i++) {
        floats[2 * i] = left[offset + i] as number;
        floats[2 * i + 1] = right[offset + i] as number;
      }
    }
    return n * channels * 4;
  }

  private packWhole(left: Float32Array, right: Float32Array, offset: number, n: Frames): number {
    const { memory, left: l, right: r, bytes } = this;
    const { format, ditherSeed } = this.options;
    const width = format.depth === "24" ? 3 : 2;
    l.set(left.subarray(offset, offset + n));
    if (format.channels === 2) r.set(right.subarray(offset, offset + n));
    if (this.alike && format.channels === 2 && memory.run.equal(l.address, r.address, n) === 0) this.alike = false;
    this.clipped += memory.run.pack(
      bytes.address,
      l.address,
      r.address,
      n,
      format.channels,
      width,
      ditherSeed === null ? 0 : 1,
      ditherSeed ?? 0,
      this.written,
    );
    if (this.options.asWritten) this.tell(n);
    return n * frameBytes(format);
  }

  /** Takes apart again what was just packed. */
  private tell(n: Frames): void {
    const { left: l, right: r, bytes, words } = this;
    const { channels, depth } = this.options.format;
    if (depth === "24" && channels === 2) this.memory.run.unpack24(bytes.address, l.address, r.address, n);
    else {
      for (let i = 0; i < n * channels; i++) {
        const value =
          depth === "16"
            ? (words[i] as number) / 32768
            : (((bytes[3 * i] as number) << 8) |
                ((bytes[3 * i + 1] as number) << 16) |
                ((bytes[3 * i + 2] as number) << 24)) /
              2147483648;
        if (channels === 1) l[i] = value;
        else (i % 2 === 0 ? l : r)[i >> 1] = value;
      }
    }
    this.options.asWritten?.(l, channels === 1 ? l : r, 0, n);
  }

  private header(dataBytes: number, loudness: BextLoudness | null): Uint8Array {
    const { format, bext, chunks = [] } = this.options;
    const bextBytes = bext ? 8 + BEXT_BYTES : 0;
    // Other encodings than PCM carry the length of an (empty) extension and a fact chunk. RIFF Multimedia Programming
    // Interface, chapter 3.
    const float = format.depth === "32f";
    const formatBytes = float ? 18 : 16;
    const otherBytes = chunks.reduce((sum, c) => sum + 8 + evened(c.body.length), 0);
    const total = 12 + 8 + DS64_BYTES + 8 + formatBytes + (float ? 12 : 0) + bextBytes + otherBytes + 8;
    const riffBytes = total - 8 + dataBytes + (dataBytes % 2);
    const large = riffBytes >= (this.options.riffLimit ?? 0xffffffff);
    const bytes = new Uint8Array(total);
    const view = new DataView(bytes.buffer);
    ascii(bytes, 0, large ? "RF64" : "RIFF");
    view.setUint32(4, large ? SIZE_IN_DS64 : riffBytes, true);
    ascii(bytes, 8, "WAVE");
    let at = 12;
    // A JUNK chunk keeps the place in which RF64 needs ds64. EBU Tech 3306, 3.
    ascii(bytes, at, large ? "ds64" : "JUNK");
    view.setUint32(at + 4, DS64_BYTES, true);
    if (large) {
      view.setBigUint64(at + 8, BigInt(riffBytes), true);
      view.setBigUint64(at + 16, BigInt(dataBytes), true);
      view.setBigUint64(at + 24, BigInt(dataBytes / frameBytes(format)), true);
    }
    at += 8 + DS64_BYTES;
    ascii(bytes, at, "fmt ");
    view.setUint32(at + 4, formatBytes, true);
    view.setUint16(at + 8, float ? FORMAT_IEEE_FLOAT : FORMAT_PCM, true);
    view.setUint16(at + 10, format.channels, true);
    view.setUint32(at + 12, format.rate, true);
    view.setUint32(at + 16, format.rate * frameBytes(format), true);
    view.setUint16(at + 20, frameBytes(format), true);
    view.setUint16(at + 22, bytesPerSample(format.depth) * 8, true);
    at += 8 + formatBytes;
    if (float) {
      ascii(bytes, at, "fact");
      view.setUint32(at + 4, 4, true);
      view.setUint32(at + 8, large ? SIZE_IN_DS64 : dataBytes / frameBytes(format), true);
      at += 12;
    }
    if (bext) {
      writeBext(bytes, view, at, bext, loudness);
      at += bextBytes;
    }
    for (const { id, body } of chunks) {
      ascii(bytes, at, id);
      view.setUint32(at + 4, body.length, true);
      bytes.set(body, at + 8);
      at += 8 + evened(body.length);
    }
    ascii(bytes, at, "data");
    view.setUint32(at + 4, large ? SIZE_IN_DS64 : dataBytes, true);
    return bytes;
  }
}

/** Chunks begin at even bytes. */
const evened = (bytes: number): number => bytes + (bytes % 2);

/** A broadcast extension with its name and length. */
export function bextChunk(bext: Bext, loudness: BextLoudness | null): Uint8Array {
  const bytes = new Uint8Array(8 + BEXT_BYTES);
  writeBext(bytes, new DataView(bytes.buffer), 0, bext, loudness);
  return bytes;
}

function writeBext(bytes: Uint8Array, view: DataView, at: number, bext: Bext, loudness: BextLoudness | null): void {
  ascii(bytes, at, "bext");
  view.setUint32(at + 4, BEXT_BYTES, true);
  const start = at + 8;
  ascii(bytes, start, bext.description, 256);
  ascii(bytes, start + 256, bext.originator, 32);
  ascii(bytes, start + 288, bext.originatorReference, 32);
  ascii(bytes, start + 320, bext.originationDate, 10);
  ascii(bytes, start + 330, bext.originationTime, 8);
  view.setBigUint64(start + 338, BigInt(bext.timeReference), true);
  view.setUint16(start + 346, 2, true);
  const hundredths = (value: number | null | undefined) =>
    value === null || value === undefined || !(Math.abs(value) <= 327) ? UNKNOWN_LOUDNESS : Math.round(value * 100);
  view.setInt16(start + 412, hundredths(loudness?.integratedLufs), true);
  view.setInt16(start + 414, hundredths(loudness?.rangeLu), true);
  view.setInt16(start + 416, hundredths(loudness?.maxTruePeakDb), true);
  view.setInt16(start + 418, hundredths(loudness?.maxMomentaryLufs), true);
  view.setInt16(start + 420, hundredths(loudness?.maxShortTermLufs), true);
}

/** Writes text as ASCII, other characters as `?`, cut to `limit`. */
function ascii(bytes: Uint8Array, at: number, text: string, limit = text.length): void {
  const plain = text
    .normalize("NFKD")
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/[^\x20-\x7e]/g, "?");
  for (let i = 0; i < Math.min(limit, plain.length); i++) bytes[at + i] = plain.charCodeAt(i);
}
