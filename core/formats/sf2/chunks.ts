import type { ByteSource } from "../bytes/bytes";
import { MalformedFile, bytesAt, tagAt } from "../bytes/bytes";

/** A chunk's body within a file. */
export interface Chunk {
  readonly at: number;
  readonly bytes: number;
}

/** Chunks of a list by their names; of two with one name the first. */
export type Chunks = ReadonlyMap<string, Chunk>;

/** More chunks than any file has; a hostile one must not keep the reader busy. */
const MOST_CHUNKS = 1000;

/** The chunks from a place of a file up to another. */
export function chunksIn(source: ByteSource, from: number, to: number): Chunks {
  const found = new Map<string, Chunk>();
  let count = 0;
  for (let at = from; at + 8 <= to;) {
    if (++count > MOST_CHUNKS) throw new MalformedFile(`There are more than ${MOST_CHUNKS} chunks`, at);
    const head = bytesAt(source, at, 8);
    const bytes = new DataView(head.buffer).getUint32(4, true);
    if (at + 8 + bytes > to) throw new MalformedFile(`"${nameOf(head)}" is longer than what holds it`, at);
    if (!found.has(nameOf(head))) found.set(nameOf(head), { at: at + 8, bytes });
    at += 8 + bytes + (bytes % 2);
  }
  return found;
}

const nameOf = (head: Uint8Array): string => tagAt(head, 0).replace(/[^\x20-\x7e]/g, "?");

/** The lists of a SoundFont: `INFO`, `sdta` and `pdta`. SoundFont 2.04, 4. */
export function listsOf(source: ByteSource): ReadonlyMap<string, Chunks> {
  const head = bytesAt(source, 0, 12);
  if (tagAt(head, 0) !== "RIFF" || tagAt(head, 8) !== "sfbk") throw new MalformedFile("This is no SoundFont", 0);
  const size = new DataView(head.buffer).getUint32(4, true);
  const end = Math.min(source.size, 8 + size);
  const lists = new Map<string, Chunks>();
  for (let at = 12, count = 0; at + 12 <= end && count < MOST_CHUNKS; count++) {
    const list = bytesAt(source, at, 12);
    const bytes = new DataView(list.buffer).getUint32(4, true);
    if (at + 8 + bytes > end) throw new MalformedFile(`"${tagAt(list, 8)}" is longer than the file`, at);
    if (tagAt(list, 0) === "LIST" && bytes >= 4) lists.set(tagAt(list, 8), chunksIn(source, at + 12, at + 8 + bytes));
    at += 8 + bytes + (bytes % 2);
  }
  return lists;
}

/** Records of one length, as a chunk of `pdta` has them. */
export interface Records {
  readonly count: number;
  readonly view: DataView;
  /** First byte of a record in the view. */
  at(record: number): number;
  /** Text of `bytes` bytes, up to its first zero. */
  text(record: number, offset: number, bytes: number): string;
}

/** Most bytes of one chunk of records: half a million presets, or eight million generators. */
const MOST_BYTES = 32 << 20;

/** The records of a chunk that has to be there: whole ones, the last of which only ends the list. SoundFont 2.04, 7. */
export function recordsOf(source: ByteSource, chunks: Chunks, name: string, bytes: number, least: number): Records {
  const chunk = chunks.get(name);
  if (!chunk) throw new MalformedFile(`"${name}" is missing`);
  if (chunk.bytes % bytes !== 0) throw new MalformedFile(`"${name}" ends within a record`, chunk.at);
  if (chunk.bytes < least * bytes) throw new MalformedFile(`"${name}" lacks its last record`, chunk.at);
  if (chunk.bytes > MOST_BYTES) throw new MalformedFile(`"${name}" has more than ${MOST_BYTES >> 20} MB`, chunk.at);
  const body = bytesAt(source, chunk.at, chunk.bytes);
  return {
    count: chunk.bytes / bytes,
    view: new DataView(body.buffer),
    at: (record) => record * bytes,
    text(record, offset, length) {
      const own = body.subarray(record * bytes + offset, record * bytes + offset + length);
      const end = own.indexOf(0);
      return printable(end < 0 ? own : own.subarray(0, end));
    },
  };
}

/** Text as names are written: ASCII, and where files hold more, Latin-1. */
export const printable = (bytes: Uint8Array): string =>
  Array.from(bytes, (b) => (b >= 0x20 && b !== 0x7f && !(b >= 0x80 && b < 0xa0) ? String.fromCharCode(b) : " "))
    .join("")
    .trim();
