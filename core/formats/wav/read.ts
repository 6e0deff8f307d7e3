import type { Bytes, Floats } from "../../kernels/kernels";
import { KernelMemory } from "../../kernels/kernels";
import type { Frames } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { MalformedFile, bytesAt, tagAt } from "../bytes/bytes";
import type { Bext, WavFormat } from "./format";
import {
  BEXT_BYTES,
  FORMAT_EXTENSIBLE,
  FORMAT_IEEE_FLOAT,
  FORMAT_PCM,
  SIZE_IN_DS64,
  bytesPerSample,
  frameBytes,
} from "./format";
import { isUsableRate } from "../rates";

const CHUNK_FRAMES = 16384;
/** More chunks than any honest file has; a hostile one must not keep the reader busy. */
const MAX_CHUNKS = 10000;

/** An opened WAV, BWF or RF64 file: its facts, and its samples by random access. */
export class WavReader {
  private cache: DecodedChunk | null = null;

  private constructor(
    private readonly source: ByteSource,
    readonly format: WavFormat,
    readonly frames: Frames,
    private readonly dataStart: number,
    readonly bext: Bext | null,
  ) {}

  get channels(): 1 | 2 {
    return this.format.channels;
  }

  /** Reads the file's structure. Throws `MalformedFile` that says what is wrong with it. */
  static open(source: ByteSource): WavReader {
    const { raw, dataStart, dataBytes, bext } = wavStructure(source);
    const format = usableFormat(raw);
    return new WavReader(source, format, Math.floor(dataBytes / frameBytes(format)), dataStart, bext);
  }

  /** Another reader of the same file, at a place of its own in it. */
  again(): WavReader {
    return new WavReader(this.source, this.format, this.frames, this.dataStart, this.bext);
  }

  /** Fills `left` and `right` (a mono file fills both) with `count` frames from `from`. Full scale is 1. */
  read(from: Frames, count: Frames, left: Float32Array, right: Float32Array, offset: number): void {
    const cache = (this.cache ??= DecodedChunk.take(this.format, Math.min(CHUNK_FRAMES, this.frames)));
    for (let done = 0; done < count;) {
      const frame = from + done;
      if (frame < cache.from || frame >= cache.from + cache.frames) this.load(cache, frame);
      const start = frame - cache.from;
      const n = Math.min(count - done, cache.frames - start);
      left.set(cache.left.subarray(start, start + n), offset + done);
      right.set(cache.right.subarray(start, start + n), offset + done);
      done += n;
    }
  }

  /** Fills `into` with the samples from frame `from` on as they lie in the file; a whole number of frames. */
  copy(from: Frames, into: Uint8Array): void {
    const size = frameBytes(this.format);
    if (from < 0 || from * size + into.length > this.frames * size)
      throw new RangeError(`frames from ${from} on are outside the file's ${this.frames}`);
    this.source.read(this.dataStart + from * size, into);
  }

  /** The bytes of the file that reading these frames asks for: whole chunks of them. */
  bytesFor(from: Frames, to: Frames): { readonly from: number; readonly to: number } {
    const size = frameBytes(this.format);
    const start = from - (from % CHUNK_FRAMES);
    const end = Math.min(this.frames, Math.ceil(to / CHUNK_FRAMES) * CHUNK_FRAMES);
    return { from: this.dataStart + start * size, to: this.dataStart + end * size };
  }

  /** Lets go of the memory it read into. A session has thousands of clips, of which few sound at a time. */
  rest(): void {
    this.cache?.give();
    this.cache = null;
  }

  /**
   * Chunks begin on a grid of their own, so that two who read a little apart from each other, as voices of a sampler
   * do, share one.
   */
  private load(cache: DecodedChunk, wanted: Frames): void {
    const frame = wanted - (wanted % CHUNK_FRAMES);
    const frames = Math.min(CHUNK_FRAMES, this.frames - frame);
    if (wanted < 0 || wanted >= this.frames)
      throw new RangeError(`frame ${wanted} is outside the file's ${this.frames}`);
    const size = frameBytes(this.format);
    this.source.read(this.dataStart + frame * size, cache.bytes.subarray(0, frames * size));
    cache.decode(this.format, frames);
    cache.from = frame;
    cache.frames = frames;
  }
}

/** Chunks that are not used, by their size and format. */
const spare = new Map<string, DecodedChunk[]>();

/** A stretch of a file as bytes and as samples. A mono file's right channel is its left one. */
class DecodedChunk {
  readonly bytes: Bytes;
  /** The same bytes as numbers, little end first as every machine has them that runs the kernels. */
  private readonly floats: Float32Array;
  readonly left: Floats;
  readonly right: Floats;
  from: Frames = 0;
  frames: Frames = 0;
  private readonly memory: KernelMemory;

  /** One for at least so many frames of a file; few different sizes are made, so that they can be used again. */
  static take(format: WavFormat, frames: Frames): DecodedChunk {
    let capacity = 256;
    while (capacity < frames) capacity *= 2;
    const kind = `${format.depth}/${format.channels}/${capacity}`;
    const chunk = spare.get(kind)?.pop() ?? new DecodedChunk(format, capacity, kind);
    chunk.frames = 0;
    return chunk;
  }

  give(): void {
    const others = spare.get(this.kind);
    if (others) others.push(this);
    else spare.set(this.kind, [this]);
  }

  private constructor(
    format: WavFormat,
    frames: Frames,
    private readonly kind: string,
  ) {
    this.memory = new KernelMemory(frames * (frameBytes(format) + 8) + 64);
    this.bytes = this.memory.bytes(frames * frameBytes(format));
    this.floats = new Float32Array(this.bytes.buffer, this.bytes.byteOffset, this.bytes.length >> 2);
    this.left = this.memory.float32(frames);
    this.right = format.channels === 2 ? this.memory.float32(frames) : this.left;
  }

  decode({ depth, channels }: WavFormat, frames: Frames): void {
    const { bytes, left, right } = this;
    if (depth === "24" && channels === 2)
      return this.memory.run.unpack24(bytes.address, left.address, right.address, frames);
    if (depth === "32f") return this.decodeFloats(channels, frames);
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const width = bytesPerSample(depth);
    const sample = (at: number): number => {
      switch (depth) {
        case "16":
          return view.getInt16(at, true) / 32768;
        case "24":
          return ((view.getUint16(at, true) << 8) | (view.getUint8(at + 2) << 24)) / 2147483648;
        case "32":
          return view.getInt32(at, true) / 2147483648;
      }
    };
    for (let i = 0, at = 0; i < frames; i++) {
      left[i] = sample(at);
      at += width;
      if (channels === 2) {
        right[i] = sample(at);
        at += width;
      }
    }
  }

  private decodeFloats(channels: 1 | 2, frames: Frames): void {
    const { left, right, floats } = this;
    if (channels === 1) return left.set(floats.subarray(0, frames));
    for (let i = 0; i < frames; i++) {
      left[i] = floats[2 * i] as number;
      right[i] = floats[2 * i + 1] as number;
    }
  }
}

/** What a fmt chunk says, not yet judged. */
export interface RawFormat {
  readonly code: number;
  readonly channels: number;
  readonly rate: number;
  readonly align: number;
  readonly bits: number;
  /** Byte of the chunk. */
  readonly at: number;
}

export interface WavStructure {
  readonly raw: RawFormat;
  readonly dataStart: number;
  readonly dataBytes: number;
  readonly bext: Bext | null;
}

/** Where everything is in a WAV, BWF or RF64 file. Throws `MalformedFile`. */
export function wavStructure(source: ByteSource): WavStructure {
  const head = bytesAt(source, 0, 12);
  const riff = tagAt(head, 0);
  if (riff !== "RIFF" && riff !== "RF64" && riff !== "BW64") throw new MalformedFile("This is not a WAV file", 0);
  if (tagAt(head, 8) !== "WAVE") throw new MalformedFile("This RIFF file holds no WAVE", 8);

  let raw: RawFormat | null = null;
  let bext: Bext | null = null;
  let dataStart = -1;
  let dataBytes = 0;
  let largeData: number | null = null;
  for (let at = 12, chunks = 0; at + 8 <= source.size; chunks++) {
    if (chunks > MAX_CHUNKS) throw new MalformedFile("The file has too many chunks", at);
    const header = bytesAt(source, at, 8);
    const id = tagAt(header, 0);
    const declared = new DataView(header.buffer).getUint32(4, true);
    const body = at + 8;
    if (id === "ds64") {
      if (declared < 24) throw new MalformedFile("The ds64 chunk is too short", at);
      const sizes = new DataView(bytesAt(source, body, 24).buffer);
      largeData = Number(sizes.getBigUint64(8, true));
    } else if (id === "fmt ") raw = readFormat(source, body, declared);
    else if (id === "bext" && declared >= BEXT_BYTES) bext = readBext(bytesAt(source, body, BEXT_BYTES));
    else if (id === "data") {
      dataStart = body;
      dataBytes = declared === SIZE_IN_DS64 && largeData !== null ? largeData : declared;
      if (body + dataBytes > source.size)
        throw new MalformedFile(
          `The audio data is cut off: ${dataBytes} bytes are promised, ${source.size - body} are there`,
          body,
        );
    }
    const size = id === "data" ? dataBytes : declared;
    at = body + size + (size % 2);
  }
  if (!raw) throw new MalformedFile("The file has no fmt chunk");
  if (dataStart < 0) throw new MalformedFile("The file has no data chunk");
  return { raw, dataStart, dataBytes, bext };
}

function readFormat(source: ByteSource, at: number, size: number): RawFormat {
  if (size < 16) throw new MalformedFile("The fmt chunk is too short", at);
  const bytes = bytesAt(source, at, Math.min(size, 40));
  const view = new DataView(bytes.buffer);
  let code = view.getUint16(0, true);
  // The extensible header carries the real code in the first two bytes of its sub-format.
  if (code === FORMAT_EXTENSIBLE) {
    if (bytes.length < 40) throw new MalformedFile("The extensible fmt chunk is too short", at);
    code = view.getUint16(24, true);
  }
  return {
    code,
    channels: view.getUint16(2, true),
    rate: view.getUint32(4, true),
    align: view.getUint16(12, true),
    bits: view.getUint16(14, true),
    at,
  };
}

/** The formats that the engine reads as they are. */
function usableFormat({ code, channels, rate, align, bits, at }: RawFormat): WavFormat {
  if (channels !== 1 && channels !== 2)
    throw new MalformedFile(`The file has ${channels} channels; mono and stereo are read`, at);
  if (!isUsableRate(rate)) throw new MalformedFile(`The rate of ${rate} Hz is not usable`, at);
  const depth =
    code === FORMAT_PCM && bits === 16
      ? "16"
      : code === FORMAT_PCM && bits === 24
        ? "24"
        : code === FORMAT_PCM && bits === 32
          ? "32"
          : code === FORMAT_IEEE_FLOAT && bits === 32
            ? "32f"
            : null;
  if (!depth) throw new MalformedFile(`Samples of ${bits} bits in encoding ${code} are not read`, at);
  const format: WavFormat = { rate, channels, depth };
  if (align !== frameBytes(format))
    throw new MalformedFile(`A frame is said to take ${align} bytes, its samples take ${frameBytes(format)}`, at);
  return format;
}

function readBext(bytes: Uint8Array): Bext {
  const view = new DataView(bytes.buffer);
  const text = (at: number, length: number) => {
    const end = bytes.subarray(at, at + length).indexOf(0);
    return String.fromCharCode(...bytes.subarray(at, end < 0 ? at + length : at + end));
  };
  const value = (at: number) => {
    const hundredths = view.getInt16(at, true);
    return hundredths === 0x7fff ? null : hundredths / 100;
  };
  return {
    description: text(0, 256),
    originator: text(256, 32),
    originatorReference: text(288, 32),
    originationDate: text(320, 10),
    originationTime: text(330, 8),
    timeReference: Number(view.getBigUint64(338, true)),
    loudness:
      view.getUint16(346, true) >= 2
        ? {
            integratedLufs: value(412),
            rangeLu: value(414),
            maxTruePeakDb: value(416),
            maxMomentaryLufs: value(418),
            maxShortTermLufs: value(420),
          }
        : null,
  };
}
