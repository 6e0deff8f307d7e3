import { concatBytes, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Frames } from "../../units";
import type { ByteSink } from "../bytes/bytes";
import { id3Tag } from "../id3";
import type { Label } from "../label";

/** What turns audio into MPEG-1 Layer III frames of one bit rate. Bytes are valid until the next call. */
export interface Mp3Encoder {
  encode(left: Float32Array, right: Float32Array): Uint8Array;
  /** The last frames. */
  finalize(): Uint8Array;
}

export const MP3_KBPS = 320;
/** Rates that MPEG-1 Layer III has. */
export const MP3_RATES = [44100, 48000] as const;
/** Samples a frame. ISO/IEC 11172-3, 2.4.2.1. */
const FRAME: Frames = 1152;
/** What the encoder puts in front of the first sample. Decoders know their own delay. */
const ENCODER_DELAY: Frames = 576;
/** The kind of encoder as readers of its delay look for it: LAME is what encodes. */
const ENCODER = "LAME3.100";
/** Index of 320 kbit/s, and of the rates, in the header of a frame. */
const BIT_RATE = 14;
const RATE_INDEX: Readonly<Record<number, number>> = { 44100: 0, 48000: 1 };
const INFO_AT = 4 + 32;

/**
 * Streams an MP3 of constant bit rate, two channels, with an ID3 tag and an Info frame in front that tells how many
 * samples are added before and behind: readers that know it find the first frame where it was and the length it had.
 */
export class Mp3Writer {
  private readonly infoAt: number;
  private bytes = 0;
  private frames = 0;
  private carried = 0;
  private written: Frames = 0;

  /** `length` is the audio's, at `rate`. Throws `RangeError` for rates that MP3 does not have. */
  constructor(
    private readonly sink: ByteSink,
    private readonly rate: number,
    private readonly length: Frames,
    label: Label,
    private readonly encoder: Mp3Encoder,
  ) {
    if (RATE_INDEX[rate] === undefined) throw new RangeError(`MP3 has no rate of ${rate} Hz`);
    const tag = id3Tag(label, rate, length);
    this.infoAt = tag.length;
    sink.write(tag);
    sink.write(new Uint8Array(this.frameBytes(false)));
  }

  /** Frames that lie beside the whole number of bytes are one longer. ISO/IEC 11172-3, 2.4.3.1. */
  private frameBytes(padded: boolean): number {
    return Math.floor((144 * MP3_KBPS * 1000) / this.rate) + (padded ? 1 : 0);
  }

  write(left: Float32Array, right: Float32Array): void {
    this.written += left.length;
    this.take(this.encoder.encode(left, right));
  }

  private take(bytes: Uint8Array): void {
    this.sink.write(bytes.slice());
    // Frames are counted by their heads, which may begin in a later piece.
    let at = this.carried;
    while (at + 3 <= bytes.length) {
      this.frames++;
      at += this.frameBytes(((bytes[at + 2] as number) & 2) !== 0);
    }
    if (at < bytes.length) throw new Error("the encoder cut a frame's head in two");
    this.carried = at - bytes.length;
    this.bytes += bytes.length;
  }

  finish(): void {
    if (this.written !== this.length) throw new RangeError("the file has another length than was announced");
    this.take(this.encoder.finalize());
    this.sink.patch(this.infoAt, this.infoFrame());
  }

  /** A silent frame that carries the numbers. */
  private infoFrame(): Uint8Array {
    const frame = new Uint8Array(this.frameBytes(false));
    const view = new DataView(frame.buffer);
    frame.set([0xff, 0xfb, (BIT_RATE << 4) | ((RATE_INDEX[this.rate] ?? 0) << 2), 0]);
    const padding = this.frames * FRAME - ENCODER_DELAY - this.length;
    const contents = Uint8Array.from({ length: 100 }, (_, i) => Math.floor((i * 256) / 100));
    frame.set(
      concatBytes(
        utf8ToBytes("Info"),
        // Frames, bytes and a table of contents follow.
        Uint8Array.of(0, 0, 0, 7),
        new Uint8Array(8),
        contents,
        utf8ToBytes(ENCODER),
        // Constant bit rate; no low pass, gain or peak is told.
        Uint8Array.of(1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 255),
        Uint8Array.of(ENCODER_DELAY >> 4, ((ENCODER_DELAY & 0xf) << 4) | (padding >> 8), padding & 0xff),
        new Uint8Array(4),
      ),
      INFO_AT,
    );
    view.setUint32(INFO_AT + 8, this.frames);
    view.setUint32(INFO_AT + 12, this.bytes + frame.length);
    const tagEnd = INFO_AT + 16 + 100;
    view.setUint32(tagEnd + 28, this.bytes + frame.length);
    view.setUint16(tagEnd + 34, crc16(frame.subarray(0, tagEnd + 34)));
    return frame;
  }
}

/** x^16 + x^15 + x^2 + 1, lowest bit first, as the Info frame is checked by. */
function crc16(bytes: Uint8Array): number {
  let crc = 0;
  for (const byte of bytes) {
    crc ^= byte;
    for (let k = 0; k < 8; k++) crc = crc & 1 ? (crc >> 1) ^ 0xa001 : crc >> 1;
  }
  return crc;
}
