import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { HEAD_BYTES } from "../../core/formats/audio-format";
import { isUsableRate } from "../../core/formats/rates";
import type { AudioKind } from "../../core/formats/registry";
import { formatOf, readableFormats } from "../../core/formats/registry";
import type { Sink } from "../../core/engine/render";
import type { DecodeHooks, DecodedFormat, Reader } from "./reader";
import { readFlac } from "./readers/flac";
import { readAiff, readWav } from "./readers/plain";
import { readMp3, readOpus, readVorbis } from "./readers/streams";

/** How each format is read. */
const readers: { readonly [K in AudioKind]: Reader } = {
  wav: readWav,
  aiff: readAiff,
  flac: readFlac,
  mp3: readMp3,
  vorbis: readVorbis,
  opus: readOpus,
};

/** What a file is by its own bytes, whatever it is called. Throws `MalformedFile` for what is not read here. */
export function sniff(source: ByteSource): AudioKind {
  const head = new Uint8Array(Math.min(HEAD_BYTES, source.size));
  source.read(0, head);
  const kind = formatOf(head);
  if (kind) return kind;
  throw new MalformedFile(
    String.fromCharCode(...head.subarray(0, 4)) === "OggS"
      ? "This Ogg file holds neither Vorbis nor Opus"
      : `This is not an audio file that is read here: ${readableFormats()} are`,
    0,
  );
}

/** Decodes a file from its first sample to its last; see `Reader`. */
export async function decode(
  source: ByteSource,
  kind: AudioKind,
  hooks: DecodeHooks,
  pick: number | null = null,
): Promise<void> {
  await readers[kind](source, { ...hooks, begin: (format) => finite(hooks.begin(usable(format))) }, pick);
}

/** A rate outside all reason is a damaged header; nothing is computed with it. */
function usable(format: DecodedFormat): DecodedFormat {
  if (!isUsableRate(format.rate)) throw new MalformedFile(`The rate of ${format.rate} Hz is not usable`);
  return format;
}

/** No sound is a hundred thousand times louder than full scale: such samples are other data, or damaged. */
const MOST = 1e5;

/** What is no number, or no sound, would be blamed on a device later. */
function finite(sink: Sink): Sink {
  let frame = 0;
  return (left, right, offset, count) => {
    for (let i = offset; i < offset + count; i++) {
      // Comparisons with what is no number are false.
      if (!(Math.abs(left[i] as number) <= MOST && Math.abs(right[i] as number) <= MOST))
        throw new MalformedFile(`The sample at frame ${frame + i - offset} is not a number, or far beyond full scale`);
    }
    frame += count;
    sink(left, right, offset, count);
  };
}
