import type { Frames } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { MalformedFile } from "../bytes/bytes";
import { isUsableRate } from "../rates";
import type { Bext } from "./format";
import { FORMAT_IEEE_FLOAT, FORMAT_PCM } from "./format";
import type { RawFormat } from "./read";
import { wavStructure } from "./read";

const CHUNK_FRAMES = 4096;
/** More than any recorder has. */
const MOST_CHANNELS = 64;
const FORMAT_A_LAW = 6;
const FORMAT_MU_LAW = 7;

interface Encoding {
  readonly bytes: number;
  /** The whole-number depth that holds every sample exactly, or float. */
  readonly depth: "16" | "24" | "32f";
  read(view: DataView, at: number): number;
}

/** A sample of G.711's A-law as a 16-bit number. ITU-T G.711, table 1; the bits come with every second one inverted. */
function fromALaw(byte: number): number {
  const code = byte ^ 0x55;
  const segment = (code >> 4) & 7;
  const step = ((code & 15) << 4) + 8;
  const magnitude = segment === 0 ? step : (step + 0x100) << (segment - 1);
  return code & 0x80 ? magnitude : -magnitude;
}

/** A sample of G.711's mu-law as a 16-bit number. ITU-T G.711, table 2; all bits come inverted. */
function fromMuLaw(byte: number): number {
  const code = ~byte & 0xff;
  const magnitude = ((((code & 15) << 3) + 0x84) << ((code >> 4) & 7)) - 0x84;
  return code & 0x80 ? -magnitude : magnitude;
}

function encodingOf({ code, bits, at }: RawFormat): Encoding {
  const pcm: Readonly<Record<number, Encoding>> = {
    8: { bytes: 1, depth: "16", read: (v, i) => (v.getUint8(i) - 128) / 128 },
    16: { bytes: 2, depth: "16", read: (v, i) => v.getInt16(i, true) / 32768 },
    24: { bytes: 3, depth: "24", read: (v, i) => ((v.getInt8(i + 2) << 16) | v.getUint16(i, true)) / 8388608 },
    32: { bytes: 4, depth: "32f", read: (v, i) => v.getInt32(i, true) / 2147483648 },
  };
  const float: Readonly<Record<number, Encoding>> = {
    32: { bytes: 4, depth: "32f", read: (v, i) => v.getFloat32(i, true) },
    64: { bytes: 8, depth: "32f", read: (v, i) => v.getFloat64(i, true) },
  };
  const found = code === FORMAT_PCM ? pcm[bits] : code === FORMAT_IEEE_FLOAT ? float[bits] : undefined;
  if (found) return found;
  if (code === FORMAT_A_LAW && bits === 8)
    return { bytes: 1, depth: "16", read: (v, i) => fromALaw(v.getUint8(i)) / 32768 };
  if (code === FORMAT_MU_LAW && bits === 8)
    return { bytes: 1, depth: "16", read: (v, i) => fromMuLaw(v.getUint8(i)) / 32768 };
  throw new MalformedFile(`Samples of ${bits} bits in encoding ${code} are not read`, at);
}

/**
 * A WAV file of any common encoding and any number of channels, read a channel or two at a time: for bringing in. The
 * engine itself reads `WavReader`'s formats.
 */
export class WavChannels {
  private readonly bytes: Uint8Array;
  private readonly view: DataView;

  private constructor(
    private readonly source: ByteSource,
    readonly rate: number,
    readonly channels: number,
    readonly frames: Frames,
    readonly bext: Bext | null,
    private readonly encoding: Encoding,
    private readonly dataStart: number,
  ) {
    this.bytes = new Uint8Array(CHUNK_FRAMES * this.frameBytes);
    this.view = new DataView(this.bytes.buffer);
  }

  /** Throws `MalformedFile`. */
  static open(source: ByteSource): WavChannels {
    const { raw, dataStart, dataBytes, bext } = wavStructure(source);
    const { channels, rate, align, at } = raw;
    const encoding = encodingOf(raw);
    if (channels < 1 || channels > MOST_CHANNELS)
      throw new MalformedFile(`The file has ${channels} channels; up to ${MOST_CHANNELS} are read`, at);
    if (!isUsableRate(rate)) throw new MalformedFile(`The rate of ${rate} Hz is not usable`, at);
    if (align !== encoding.bytes * channels)
      throw new MalformedFile(
        `A frame is said to take ${align} bytes, its samples take ${encoding.bytes * channels}`,
        at,
      );
    return new WavChannels(source, rate, channels, Math.floor(dataBytes / align), bext, encoding, dataStart);
  }

  get depth(): Encoding["depth"] {
    return this.encoding.depth;
  }

  private get frameBytes(): number {
    return this.encoding.bytes * this.channels;
  }

  /** Fills `left` with channel `a` and `right` with channel `b`, `count` frames from `from`. Full scale is 1. */
  read(
    from: Frames,
    count: Frames,
    left: Float32Array,
    right: Float32Array,
    offset: number,
    a: number,
    b: number,
  ): void {
    const { encoding, frameBytes, view } = this;
    for (let done = 0; done < count;) {
      const n = Math.min(CHUNK_FRAMES, count - done);
      this.source.read(this.dataStart + (from + done) * frameBytes, this.bytes.subarray(0, n * frameBytes));
      for (let i = 0; i < n; i++) {
        left[offset + done + i] = encoding.read(view, i * frameBytes + a * encoding.bytes);
        right[offset + done + i] = encoding.read(view, i * frameBytes + b * encoding.bytes);
      }
      done += n;
    }
  }
}
