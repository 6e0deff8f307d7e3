import { concatBytes, utf8ToBytes } from "@noble/hashes/utils.js";
import type { Frames } from "../units";
import type { ByteSource } from "./bytes/bytes";
import { bytesAt, tagAt } from "./bytes/bytes";
import type { Label } from "./label";

/** Text is UTF-8. ID3v2.4.0, structure, 4. */
const UTF8 = 3;
/** A table of contents lists up to so many chapters. ID3v2 Chapter Frame Addendum 1.0, 3.2. */
const MOST_CHAPTERS = 255;
const UNKNOWN_OFFSET = 0xffffffff;

/**
 * A label as an ID3v2.4 tag: title, song, place, date, tempo, time reference, and the marks as chapters. `frames` is
 * the file's length, at `rate`.
 */
export function id3Tag(label: Label, rate: number, frames: Frames): Uint8Array {
  const { title, song, number, date, bpm, timeReference } = label;
  const marks = label.marks.slice(0, MOST_CHAPTERS);
  const ms = (frame: Frames) => Math.round((frame * 1000) / rate);
  const chapters = marks.map(({ frame, text }, i) =>
    tagFrame(
      "CHAP",
      utf8ToBytes(`c${i}\0`),
      words(ms(frame), ms(marks[i + 1]?.frame ?? frames), UNKNOWN_OFFSET, UNKNOWN_OFFSET),
      textFrame("TIT2", text),
    ),
  );
  const contents = tagFrame(
    "CTOC",
    utf8ToBytes("toc\0"),
    Uint8Array.of(3, marks.length),
    utf8ToBytes(marks.map((_, i) => `c${i}\0`).join("")),
  );
  const said = concatBytes(
    textFrame("TIT2", title),
    textFrame("TALB", song),
    ...(number > 0 ? [textFrame("TRCK", String(number))] : []),
    textFrame("TDRC", date),
    textFrame("TBPM", String(Math.round(bpm))),
    textFrame("TXXX", `TIME_REFERENCE\0${timeReference}`),
    ...(marks.length > 0 ? [contents, ...chapters] : []),
  );
  // Zeros may fill a tag up (3.3). Readers of AIFF go wrong at chunks of an odd length that they do not know.
  const body = concatBytes(said, new Uint8Array(said.length % 2));
  return concatBytes(utf8ToBytes("ID3"), Uint8Array.of(4, 0, 0), synchsafe(body.length), body);
}

const textFrame = (id: string, text: string) => tagFrame(id, Uint8Array.of(UTF8), utf8ToBytes(text));

function tagFrame(id: string, ...parts: readonly Uint8Array[]): Uint8Array {
  const body = concatBytes(...parts);
  return concatBytes(utf8ToBytes(id), synchsafe(body.length), Uint8Array.of(0, 0), body);
}

/** Four bytes of seven bits, as sizes in a tag are. ID3v2.4.0, structure, 6.2. */
const synchsafe = (size: number): Uint8Array =>
  Uint8Array.of((size >> 21) & 0x7f, (size >> 14) & 0x7f, (size >> 7) & 0x7f, size & 0x7f);

function words(...values: readonly number[]): Uint8Array {
  const bytes = new Uint8Array(4 * values.length);
  const view = new DataView(bytes.buffer);
  values.forEach((v, i) => view.setUint32(4 * i, v));
  return bytes;
}

/** A tag may hold pictures; one that is larger is not looked through. */
const MOST_TAG_BYTES = 1 << 22;
const TIME_REFERENCE = "TIME_REFERENCE\0";

/** The time reference that an ID3v2.4 tag at a place of a file tells; null where it tells none. Never throws. */
export function id3TimeReference(source: ByteSource, at: number): Frames | null {
  if (at + 10 > source.size) return null;
  const head = bytesAt(source, at, 10);
  if (!tagAt(head, 0).startsWith("ID3") || head[3] !== 4) return null;
  const size = fromSynchsafe(head, 6);
  if (size > MOST_TAG_BYTES || at + 10 + size > source.size) return null;
  const body = bytesAt(source, at + 10, size);
  for (let p = 0; p + 10 <= body.length;) {
    const length = fromSynchsafe(body, p + 4);
    const content = body.subarray(p + 10, p + 10 + length);
    if (tagAt(body, p) === "TXXX" && content[0] === UTF8) {
      const text = String.fromCharCode(...content.subarray(1, 1 + TIME_REFERENCE.length + 20));
      if (text.startsWith(TIME_REFERENCE)) return wholeNumber(text.slice(TIME_REFERENCE.length));
    }
    p += 10 + length;
  }
  return null;
}

const fromSynchsafe = (b: Uint8Array, at: number): number =>
  (((b[at] ?? 0) & 0x7f) << 21) |
  (((b[at + 1] ?? 0) & 0x7f) << 14) |
  (((b[at + 2] ?? 0) & 0x7f) << 7) |
  ((b[at + 3] ?? 0) & 0x7f);

/** No timeline is longer than 2^40 frames; what says more is mischief. */
const LONGEST: Frames = 1099511627776;

/** Digits and nothing else, as far as a timeline goes. */
export const wholeNumber = (text: string): number | null =>
  /^\d{1,15}$/.test(text) && Number(text) <= LONGEST ? Number(text) : null;
