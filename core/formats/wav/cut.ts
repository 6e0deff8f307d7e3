import type { Frames } from "../../units";
import type { ByteSink, ByteSource } from "../bytes/bytes";
import type { Bext, WavFormat } from "./format";
import { FORMAT_IEEE_FLOAT, FORMAT_PCM, bytesPerSample, frameBytes } from "./format";
import { WavReader } from "./read";
import { bextChunk } from "./write";

const FRAMES: Frames = 1 << 16;
/** As much as a RIFF file of one chunk of samples can say. */
const MOST_BYTES = 0xffffffff - 36;

/**
 * A range of a WAV file, or one channel of it, as a WAV of its own with the very same samples, and with a broadcast
 * extension where one is given. Throws `RangeError`
 * where it would not fit into RIFF.
 */
export function cutWav(
  source: ByteSource,
  { from, to }: { readonly from: Frames; readonly to: Frames },
  channel: 0 | 1 | null,
  sink: ByteSink,
  bext: Bext | null = null,
): WavFormat {
  const wav = WavReader.open(source);
  const { format } = wav;
  const isSide = channel !== null && format.channels === 2;
  const made: WavFormat = { ...format, channels: isSide ? 1 : format.channels };
  sink.write(bext ? headWithBext(made, to - from, bext) : plainHead(made, to - from));
  const width = bytesPerSample(format.depth);
  const whole = new Uint8Array(Math.min(FRAMES, Math.max(1, to - from)) * frameBytes(format));
  const side = new Uint8Array(isSide ? whole.length / 2 : 0);
  for (let at = from; at < to; at += FRAMES) {
    const n = Math.min(FRAMES, to - at);
    const piece = whole.subarray(0, n * frameBytes(format));
    wav.copy(at, piece);
    if (!isSide) {
      sink.write(piece);
      continue;
    }
    for (let i = 0; i < n; i++)
      for (let b = 0; b < width; b++) side[i * width + b] = piece[(2 * i + channel) * width + b] as number;
    sink.write(side.subarray(0, n * width));
  }
  return made;
}

/** The same with a broadcast extension in front. EBU Tech 3285. */
function headWithBext(format: WavFormat, frames: Frames, bext: Bext): Uint8Array {
  const plain = plainHead(format, frames);
  const chunk = bextChunk(bext, null);
  const bytes = new Uint8Array(plain.length + chunk.length);
  bytes.set(plain.subarray(0, 12));
  bytes.set(chunk, 12);
  bytes.set(plain.subarray(12), 12 + chunk.length);
  const view = new DataView(bytes.buffer);
  const size = view.getUint32(4, true) + chunk.length;
  if (size > 0xffffffff) throw new RangeError(`${size} bytes are more than a plain WAV holds`);
  view.setUint32(4, size, true);
  return bytes;
}

/** The 44 bytes in front of a WAV's samples when nothing else is in it. */
export function plainHead(format: WavFormat, frames: Frames): Uint8Array {
  const bytes = frames * frameBytes(format);
  if (bytes > MOST_BYTES) throw new RangeError(`${bytes} bytes are more than a plain WAV holds`);
  const head = new DataView(new ArrayBuffer(44));
  const letters = (at: number, s: string) => [...s].forEach((c, i) => head.setUint8(at + i, c.charCodeAt(0)));
  letters(0, "RIFF");
  head.setUint32(4, bytes + 36, true);
  letters(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, format.depth === "32f" ? FORMAT_IEEE_FLOAT : FORMAT_PCM, true);
  head.setUint16(22, format.channels, true);
  head.setUint32(24, format.rate, true);
  head.setUint32(28, format.rate * frameBytes(format), true);
  head.setUint16(32, frameBytes(format), true);
  head.setUint16(34, 8 * bytesPerSample(format.depth), true);
  letters(36, "data");
  head.setUint32(40, bytes, true);
  return new Uint8Array(head.buffer);
}
