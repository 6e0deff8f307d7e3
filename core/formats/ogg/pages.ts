import type { ByteSource } from "../bytes/bytes";
import { MalformedFile } from "../bytes/bytes";

/** RFC 3533, 6: what stands before a page's table of segments, and how long a page can be. */
const HEAD_BYTES = 27;
const LONGEST_PAGE = HEAD_BYTES + 255 + 255 * 255;
const CHECKSUM_AT = 22;
const [BEGINS, ENDS] = [0x02, 0x04];
/** Streams beside or behind each other in one file: no real file has more. */
const MOST_STREAMS = 64;

/** RFC 3533, 6, field 7: polynomial 0x04c11db7, begun with 0, neither reflected nor inverted. */
const TABLE = Uint32Array.from({ length: 256 }, (_, byte) => {
  let value = byte << 24;
  for (let bit = 0; bit < 8; bit++) value = (value << 1) ^ (value < 0 ? 0x04c11db7 : 0);
  return value >>> 0;
});
/** What stands in a whole page as its checksum. */
export function checksum(page: Uint8Array): number {
  let value = 0;
  for (let i = 0; i < page.length; i++) {
    // The page's own checksum counts as nothing.
    const byte = i >= CHECKSUM_AT && i < CHECKSUM_AT + 4 ? 0 : (page[i] as number);
    value = (value << 8) ^ (TABLE[(value >>> 24) ^ byte] as number);
  }
  return value >>> 0;
}

/**
 * The pages of an Ogg file, one after the other, each as it was written: a decoder goes on behind a damaged one without
 * a word, and all that follows would sound too early. What stands behind the end of the last stream is left out, as
 * tags are; another recording there is refused, as coders lose its first or last moments. Throws `MalformedFile` with
 * the place. The bytes are of a buffer that is used again. Source: RFC 3533.
 */
export function* oggPages(source: ByteSource): Generator<Uint8Array> {
  const buffer = new Uint8Array(LONGEST_PAGE);
  /** Of every stream that goes on, the number of its next page; null while only headers have come. */
  const next = new Map<number, number | null>();
  for (let at = 0; at < source.size;) {
    const head = buffer.subarray(0, Math.min(HEAD_BYTES + 255, source.size - at));
    source.read(at, head);
    if (String.fromCharCode(...head.subarray(0, 4)) !== "OggS" || head[4] !== 0) {
      if (at > 0 && next.size === 0) return;
      throw new MalformedFile("The audio is damaged: bytes of it are missing, or there are too many", at);
    }
    const segments = head[26] ?? 0;
    const bytes = head.subarray(HEAD_BYTES, HEAD_BYTES + segments).reduce((sum, n) => sum + n, HEAD_BYTES + segments);
    if (head.length < HEAD_BYTES || bytes > source.size - at) throw new MalformedFile("The audio is cut off", at);
    const page = buffer.subarray(0, bytes);
    source.read(at, page);
    follow(page, at, next);
    yield page;
    at += bytes;
  }
}

/** Takes a page as the next of its stream. Throws `MalformedFile` where it is damaged, or one before it is missing. */
function follow(page: Uint8Array, at: number, next: Map<number, number | null>): void {
  const view = new DataView(page.buffer, page.byteOffset, page.length);
  if (view.getUint32(CHECKSUM_AT, true) !== checksum(page))
    throw new MalformedFile("The audio is damaged: its bytes are not those that were written", at);
  // All streams of a recording begin before any goes on. RFC 3533, 4.
  const flags = page[5] ?? 0;
  if (at > 0 && (next.size === 0 || (flags & BEGINS && [...next.values()].some((number) => number !== null))))
    throw new MalformedFile("Another recording begins behind the first: each has to be a file of its own", at);
  const [stream, number] = [view.getUint32(14, true), view.getUint32(18, true)];
  const wanted = flags & BEGINS ? null : (next.get(stream) ?? null);
  if (wanted !== null && number !== wanted)
    throw new MalformedFile(`The audio is damaged: a part of it, page ${wanted}, is missing`, at);
  if (flags & ENDS) next.delete(stream);
  // A recording of a broadcast has its headers, and then what was on air.
  else next.set(stream, view.getBigUint64(6, true) === 0n ? null : (number + 1) >>> 0);
  if (next.size > MOST_STREAMS) throw new MalformedFile(`There are more than ${MOST_STREAMS} streams in it`, at);
}
