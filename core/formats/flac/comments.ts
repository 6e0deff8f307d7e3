import type { Frames } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { bytesAt } from "../bytes/bytes";
import { wholeNumber } from "../id3";

const COMMENTS = 4;
/** Comments that are longer hold a picture, or mischief. */
const MOST_BYTES = 1 << 20;
const MOST_BLOCKS = 1000;
const FIELD = "TIME_REFERENCE=";

/** The time reference in a FLAC file's Vorbis comments; null where there is none. RFC 9639, 8. Never throws. */
export function flacTimeReference(source: ByteSource): Frames | null {
  for (let at = 4, blocks = 0; at + 4 <= source.size && blocks < MOST_BLOCKS; blocks++) {
    const head = bytesAt(source, at, 4);
    const length = ((head[1] as number) << 16) | ((head[2] as number) << 8) | (head[3] as number);
    if (((head[0] as number) & 0x7f) === COMMENTS && length <= MOST_BYTES && at + 4 + length <= source.size)
      return inComments(bytesAt(source, at + 4, length));
    if ((head[0] as number) & 0x80) return null;
    at += 4 + length;
  }
  return null;
}

function inComments(bytes: Uint8Array): Frames | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const word = (at: number) => (at + 4 <= bytes.length ? view.getUint32(at, true) : Infinity);
  for (let at = 8 + word(0); at + 4 <= bytes.length; at += 4 + word(at)) {
    const text = String.fromCharCode(...bytes.subarray(at + 4, at + 4 + Math.min(word(at), FIELD.length + 20)));
    if (text.toUpperCase().startsWith(FIELD)) return wholeNumber(text.slice(FIELD.length));
  }
  return null;
}
