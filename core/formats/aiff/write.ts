import { concatBytes, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Frames } from "../../units";
import type { ByteSink } from "../bytes/bytes";
import { id3Tag } from "../id3";
import type { Label } from "../label";
import { plainText } from "../label";

export interface AiffFormat {
  readonly rate: number;
  readonly channels: 1 | 2;
  readonly depth: "16" | "24" | "32f";
}

/** A mark has a number of two bytes above zero. */
const MOST_MARKS = 32767;
const MOST_TEXT = 255;
/** Sizes have four bytes. */
export const AIFF_LIMIT_BYTES = 0xffffffff;
/** The version of AIFF-C: 23 May 1990, 14:40. AIFF-C draft, 5. */
const AIFC_VERSION = 0xa2805140;

/**
 * Writes an AIFF file of known length from samples as a WAV file has them; one of floats is an AIFF-C. Apple, Audio
 * Interchange File Format 1.3 (1989) and AIFF-C draft (1991). Title and marks are told in the format's own chunks in
 * ASCII, and in an ID3 tag as they are.
 */
export class AiffWriter {
  private readonly width: number;
  private written = 0;

  /** Throws `RangeError` for what AIFF has no room for. */
  constructor(
    private readonly sink: ByteSink,
    private readonly format: AiffFormat,
    private readonly frames: Frames,
    label: Label,
  ) {
    this.width = format.depth === "16" ? 2 : format.depth === "24" ? 3 : 4;
    const soundBytes = frames * format.channels * this.width;
    const float = format.depth === "32f";
    const before = concatBytes(
      ...(float ? [chunk("FVER", words(AIFC_VERSION))] : []),
      chunk("COMM", common(format, frames)),
      chunk("NAME", utf8ToBytes(plainText(label.title))),
      ...(label.marks.length > 0 ? [chunk("MARK", marks(label))] : []),
      chunk("ID3 ", id3Tag(label, format.rate, frames)),
    );
    const formBytes = 4 + before.length + 8 + 8 + soundBytes + (soundBytes % 2);
    if (formBytes > AIFF_LIMIT_BYTES) throw new RangeError("an AIFF file holds no more than 4 GB");
    sink.write(
      concatBytes(
        utf8ToBytes("FORM"),
        words(formBytes),
        utf8ToBytes(float ? "AIFC" : "AIFF"),
        before,
        utf8ToBytes("SSND"),
        words(8 + soundBytes, 0, 0),
      ),
    );
  }

  /** Appends samples in the order and size they have in a WAV file; their bytes are turned around in place. */
  write(samples: Uint8Array): void {
    const { width } = this;
    for (let i = 0; i + width <= samples.length; i += width) {
      const [low, high] = [samples[i] as number, samples[i + width - 1] as number];
      samples[i] = high;
      samples[i + width - 1] = low;
      if (width === 4) {
        const second = samples[i + 1] as number;
        samples[i + 1] = samples[i + 2] as number;
        samples[i + 2] = second;
      }
    }
    this.sink.write(samples);
    this.written += samples.length;
  }

  finish(): void {
    if (this.written !== this.frames * this.format.channels * this.width)
      throw new RangeError("the file has another length than was announced");
    if (this.written % 2 === 1) this.sink.write(new Uint8Array(1));
  }
}

function common({ rate, channels, depth }: AiffFormat, frames: Frames): Uint8Array {
  const float = depth === "32f";
  // A length, the text, and a byte more that makes it even.
  const name = "\x0c32-bit float\0";
  const bytes = new Uint8Array(float ? 22 + name.length : 18);
  const view = new DataView(bytes.buffer);
  view.setInt16(0, channels);
  view.setUint32(2, frames);
  view.setInt16(6, float ? 32 : Number(depth));
  // The rate as an 80-bit extended number: its leading one stands at the top of the mantissa.
  const exponent = 31 - Math.clz32(rate);
  view.setUint16(8, 16383 + exponent);
  view.setUint32(10, rate * (2147483648 / (1 << exponent)));
  if (float) {
    bytes.set(utf8ToBytes("fl32"), 18);
    bytes.set(utf8ToBytes(name), 22);
  }
  return bytes;
}

function marks({ marks }: Label): Uint8Array {
  const written = marks.slice(0, MOST_MARKS).map(({ frame, text }, i) => {
    // A length and the text are an even number of bytes. Some readers lose their way at the byte that would fill it up,
    // so a space does.
    const plain = plainText(text).slice(0, MOST_TEXT);
    const name = utf8ToBytes(plain.length % 2 === 0 ? `${plain} ` : plain);
    const bytes = new Uint8Array(6 + 1 + name.length);
    const view = new DataView(bytes.buffer);
    view.setInt16(0, i + 1);
    view.setUint32(2, frame);
    bytes[6] = name.length;
    bytes.set(name, 7);
    return bytes;
  });
  return concatBytes(Uint8Array.of(written.length >> 8, written.length & 0xff), ...written);
}

function chunk(id: string, body: Uint8Array): Uint8Array {
  return concatBytes(utf8ToBytes(id), words(body.length), body, new Uint8Array(body.length % 2));
}

function words(...values: readonly number[]): Uint8Array {
  const bytes = new Uint8Array(4 * values.length);
  const view = new DataView(bytes.buffer);
  values.forEach((v, i) => view.setUint32(4 * i, v));
  return bytes;
}
