import type { Frames } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { MalformedFile, bytesAt, tagAt } from "../bytes/bytes";
import { id3TimeReference } from "../id3";
import { isUsableRate } from "../rates";

/** How samples lie in a file; AIFF-C names its encodings with four letters, AIFF has big-endian whole numbers only. */
type Encoding = "whole" | "whole, little-endian" | "float" | "double";

const ENCODINGS: Readonly<Record<string, Encoding>> = {
  NONE: "whole",
  twos: "whole",
  in24: "whole",
  in32: "whole",
  sowt: "whole, little-endian",
  fl32: "float",
  FL32: "float",
  fl64: "double",
  FL64: "double",
};
const CHUNK_FRAMES: Frames = 4096;
const MAX_CHUNKS = 10000;
/** More than any recorder has. */
const MOST_CHANNELS = 64;

/** An opened AIFF or AIFF-C file. Apple, Audio Interchange File Format 1.3 (1989) and AIFF-C draft (1991). */
export class AiffReader {
  private readonly bytes: Uint8Array;
  private readonly view: DataView;

  private constructor(
    private readonly source: ByteSource,
    readonly rate: number,
    readonly channels: number,
    /** Bits a sample has; it lies in whole bytes, at their upper end. */
    readonly bits: number,
    readonly frames: Frames,
    private readonly encoding: Encoding,
    private readonly dataStart: number,
    /** Where its first frame stands, in an ID3 tag; AIFF has no place of its own for it. */
    readonly timeReference: Frames | null,
  ) {
    this.bytes = new Uint8Array(CHUNK_FRAMES * this.frameBytes);
    this.view = new DataView(this.bytes.buffer);
  }

  get float(): boolean {
    return this.encoding === "float" || this.encoding === "double";
  }

  /** Reads the file's structure. Throws `MalformedFile` that says what is wrong with it. */
  static open(source: ByteSource): AiffReader {
    const head = bytesAt(source, 0, 12);
    const form = tagAt(head, 8);
    if (tagAt(head, 0) !== "FORM" || (form !== "AIFF" && form !== "AIFC"))
      throw new MalformedFile("This is not an AIFF file", 0);
    let common: Common | null = null;
    let timeReference: Frames | null = null;
    let sound: { readonly start: number; readonly bytes: number } | null = null;
    for (let at = 12, chunks = 0; at + 8 <= source.size; chunks++) {
      if (chunks > MAX_CHUNKS) throw new MalformedFile("The file has too many chunks", at);
      const header = bytesAt(source, at, 8);
      const size = new DataView(header.buffer).getUint32(4);
      const id = tagAt(header, 0);
      if (id === "COMM") common = readCommon(source, at + 8, size, form === "AIFC");
      else if (id === "SSND") {
        if (size < 8) throw new MalformedFile("The SSND chunk is too short", at);
        const offset = new DataView(bytesAt(source, at + 8, 4).buffer).getUint32(0);
        sound = { start: at + 16 + offset, bytes: size - 8 - offset };
      } else if (id === "ID3 ") timeReference ??= id3TimeReference(source, at + 8);
      at += 8 + size + (size % 2);
    }
    if (!common) throw new MalformedFile("The file has no COMM chunk");
    const { rate, channels, bits, frames, encoding } = common;
    if (frames > 0 && !sound) throw new MalformedFile("The file has no SSND chunk");
    const reader = new AiffReader(source, rate, channels, bits, frames, encoding, sound?.start ?? 0, timeReference);
    const needed = frames * reader.frameBytes;
    const there = sound ? Math.min(sound.bytes, source.size - sound.start) : 0;
    if (needed > there)
      throw new MalformedFile(
        `The audio data is cut off: ${needed} bytes are promised, ${Math.max(0, there)} are there`,
        sound?.start ?? null,
      );
    return reader;
  }

  /** The bytes of the file that reading these frames asks for. */
  bytesFor(from: Frames, to: Frames): { readonly from: number; readonly to: number } {
    return { from: this.dataStart + from * this.frameBytes, to: this.dataStart + to * this.frameBytes };
  }

  private get sampleBytes(): number {
    return Math.ceil(this.bits / 8);
  }

  private get frameBytes(): number {
    return this.sampleBytes * this.channels;
  }

  /** Fills `left` with channel `a` and `right` with channel `b`, `count` frames from `from`. Full scale is 1. */
  read(
    from: Frames,
    count: Frames,
    left: Float32Array,
    right: Float32Array,
    offset: number,
    a = 0,
    b = Math.min(1, this.channels - 1),
  ): void {
    if (from < 0 || from + count > this.frames)
      throw new RangeError(`frames ${from} to ${from + count} are outside the file's ${this.frames}`);
    for (let done = 0; done < count;) {
      const n = Math.min(CHUNK_FRAMES, count - done);
      this.source.read(this.dataStart + (from + done) * this.frameBytes, this.bytes.subarray(0, n * this.frameBytes));
      for (let i = 0; i < n; i++) {
        left[offset + done + i] = this.sample(i * this.frameBytes + a * this.sampleBytes);
        right[offset + done + i] = this.sample(i * this.frameBytes + b * this.sampleBytes);
      }
      done += n;
    }
  }

  private sample(at: number): number {
    const { view, encoding, sampleBytes } = this;
    if (encoding === "float") return view.getFloat32(at);
    if (encoding === "double") return view.getFloat64(at);
    const little = encoding === "whole, little-endian";
    switch (sampleBytes) {
      case 1:
        return view.getInt8(at) / 128;
      case 2:
        return view.getInt16(at, little) / 32768;
      case 3:
        return (
          (little
            ? (view.getInt8(at + 2) << 16) | view.getUint16(at, true)
            : (view.getInt8(at) << 16) | view.getUint16(at + 1)) / 8388608
        );
      default:
        return view.getInt32(at, little) / 2147483648;
    }
  }
}

interface Common {
  readonly rate: number;
  readonly channels: number;
  readonly bits: number;
  readonly frames: Frames;
  readonly encoding: Encoding;
}

function readCommon(source: ByteSource, at: number, size: number, compressed: boolean): Common {
  if (size < (compressed ? 22 : 18)) throw new MalformedFile("The COMM chunk is too short", at);
  const bytes = bytesAt(source, at, compressed ? 22 : 18);
  const view = new DataView(bytes.buffer);
  const channels = view.getInt16(0);
  const frames = view.getUint32(2);
  const bits = view.getInt16(6);
  const rate = extended(view, 8);
  if (channels < 1 || channels > MOST_CHANNELS)
    throw new MalformedFile(`The file has ${channels} channels; up to ${MOST_CHANNELS} are read`, at);
  if (!isUsableRate(rate)) throw new MalformedFile(`The rate of ${rate} Hz is not usable`, at);
  const name = compressed ? tagAt(bytes, 18) : "NONE";
  const encoding = ENCODINGS[name];
  if (!encoding) throw new MalformedFile(`Samples encoded as "${name}" are not read`, at);
  const width = encoding === "float" ? 32 : encoding === "double" ? 64 : bits;
  if (width < 1 || (width > 32 && encoding !== "double"))
    throw new MalformedFile(`Samples of ${bits} bits are not read`, at);
  return { rate, channels, frames, bits: width, encoding };
}

/**
 * The 80-bit extended number of IEEE 754 that AIFF gives its rate in: sign and exponent, then a mantissa with its
 * leading one.
 */
function extended(view: DataView, at: number): number {
  const exponent = view.getUint16(at) & 0x7fff;
  const [high, low] = [view.getUint32(at + 2), view.getUint32(at + 6)];
  let value = high + low / 4294967296;
  // Halving and doubling is exact, whatever the engine.
  for (let e = exponent - 16383; e < 31; e++) value /= 2;
  for (let e = exponent - 16383; e > 31; e--) value *= 2;
  return value;
}
