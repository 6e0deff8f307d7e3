import { createWriteStream } from "node:fs";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { promisify } from "node:util";
import type { Entry, ZipFile } from "yauzl";
import { RandomAccessReader, fromRandomAccessReader } from "yauzl";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { NoRoom, RoomWatch } from "../audio/room";
import { MalformedFile, SliceSource } from "../../core/formats/bytes/bytes";

const MOST_ENTRIES = 50_000;
/**
 * What a packed file may become; the method cannot pack tighter than a thousand to one, and honest audio hardly packs.
 */
const MOST_UNPACKED_BYTES = 64 * 2 ** 30;
const PIECE = 1 << 16;
const LEAST_BOMB_BYTES = 1 << 20;
const MOST_RATIO = 150;

/** One file of a ZIP. */
export interface ZipEntry {
  /** With `/` between folders; never absolute, never upwards. */
  readonly name: string;
  readonly bytes: number;
  /** To be read in place where it is stored as it is; null where it is packed. */
  readonly stored: ByteSource | null;
  /** All of a small file. Throws `MalformedFile` where it is larger than `most`. */
  read(most: number): Promise<Uint8Array>;
  /** Unpacks it to a new file; `onPiece` hears of every piece. Throws `NoRoom` where the disk has too little. */
  unpack(path: string, onPiece?: () => void): Promise<void>;
}

/** Files of a ZIP that lies anywhere, also in another ZIP. Throws `MalformedFile`. APPNOTE 6.3.10. */
export async function openZip(source: ByteSource): Promise<readonly ZipEntry[]> {
  const zip = await asMalformed(
    (promisify(fromRandomAccessReader) as (r: RandomAccessReader, size: number, o: object) => Promise<ZipFile>)(
      new SourceReader(source),
      source.size,
      { lazyEntries: true, autoClose: false, strictFileNames: false },
    ),
  );
  if (zip.entryCount > MOST_ENTRIES) throw new MalformedFile(`The ZIP has ${zip.entryCount} entries`);
  const found: ZipEntry[] = [];
  let unpacked = 0;
  const each = async () => {
    for await (const entry of zip.eachEntry()) {
      if (entry.fileName.endsWith("/")) continue;
      if (entry.isEncrypted()) throw new MalformedFile(`"${entry.fileName}" is encrypted`);
      if (entry.uncompressedSize > source.size && entry.compressionMethod === 0)
        throw new MalformedFile(`"${entry.fileName}" is said to be larger than the ZIP`);
      if (entry.compressionMethod !== 0 && (unpacked += entry.uncompressedSize) > MOST_UNPACKED_BYTES)
        throw new MalformedFile(`Unpacked the ZIP would have more than ${MOST_UNPACKED_BYTES / 2 ** 30} GB`);
      found.push(await entryOf(zip, entry, source));
    }
  };
  await asMalformed(each());
  return found;
}

async function entryOf(zip: ZipFile, entry: Entry, source: ByteSource): Promise<ZipEntry> {
  const stored =
    entry.compressionMethod === 0 ? new SliceSource(source, await dataStart(zip, entry), entry.uncompressedSize) : null;
  const stream = () =>
    (promisify(zip.openReadStream.bind(zip)) as (e: Entry) => Promise<Readable>)(entry).catch((error: unknown) => {
      throw malformed(error);
    });
  return {
    name: entry.fileName,
    bytes: entry.uncompressedSize,
    stored,
    async read(most) {
      if (entry.uncompressedSize > most) throw new MalformedFile(`"${entry.fileName}" is too large`);
      // What a text of a session packs into is a tenth of it or so; what unpacks to far more was made to.
      if (entry.uncompressedSize > LEAST_BOMB_BYTES && entry.uncompressedSize > MOST_RATIO * entry.compressedSize)
        throw new MalformedFile(`"${entry.fileName}" would unpack to ${MOST_RATIO} times its size or more`);
      const parts: Buffer[] = [];
      await asMalformed(
        (async () => {
          for await (const part of await stream()) parts.push(part as Buffer);
        })(),
      );
      return Buffer.concat(parts);
    },
    async unpack(path, onPiece) {
      const room = new RoomWatch(path);
      room.want(entry.uncompressedSize);
      const watched = async function* (pieces: AsyncIterable<Buffer>) {
        for await (const piece of pieces) {
          room.take(piece.length);
          onPiece?.();
          yield piece;
        }
      };
      await asMalformed(pipeline(await stream(), watched, createWriteStream(path, { flags: "wx" })));
    },
  };
}

function dataStart(zip: ZipFile, entry: Entry): Promise<number> {
  return new Promise((resolve, reject) => {
    zip.readLocalFileHeader(entry, { minimal: true }, (error, header) => {
      if (error) reject(malformed(error));
      else resolve(header.fileDataStart);
    });
  });
}

/** Whatever the reader of the directory trips over is the file's fault, unless the disk's. */
function malformed(error: unknown): Error {
  if (error instanceof MalformedFile || error instanceof NoRoom) return error;
  if (!(error instanceof Error)) return new MalformedFile(String(error));
  if ((error as NodeJS.ErrnoException).code?.startsWith("E") || error.name === "AbortError") return error;
  return new MalformedFile(`The ZIP cannot be read: ${error.message}`);
}

async function asMalformed<T>(work: Promise<T>): Promise<T> {
  try {
    return await work;
  } catch (error) {
    throw malformed(error);
  }
}

/** Lets the ZIP reader read from wherever the bytes are. */
class SourceReader extends RandomAccessReader {
  constructor(private readonly source: ByteSource) {
    super();
  }

  override _readStreamForRange(start: number, end: number): Readable {
    const { source } = this;
    return Readable.from(
      (function* () {
        for (let at = start; at < end; at += PIECE) {
          const piece = Buffer.allocUnsafe(Math.min(PIECE, end - at));
          source.read(at, piece);
          yield piece;
        }
      })(),
    );
  }

  override close(done: (error: Error | null) => void): void {
    done(null);
  }
}
