import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import { crc32 } from "node:zlib";

/** PKWARE, .ZIP File Format Specification 6.3.10 (APPNOTE). Numbers of sections are those of that text. */
const LOCAL_HEADER = 0x04034b50;
const CENTRAL_HEADER = 0x02014b50;
const END = 0x06054b50;
const END_64 = 0x06064b50;
const END_64_LOCATOR = 0x07064b50;
/** Names are UTF-8. 4.4.4, bit 11. */
const UTF8_NAMES = 0x800;
/** Plain files need 2.0, large ones 4.5. 4.4.3. */
const VERSION = 20;
const VERSION_64 = 45;
/** Made on a system whose attributes are those of Unix. 4.4.2. */
const MADE_BY = (3 << 8) | VERSION_64;
const REGULAR_FILE = (0o100644 << 16) >>> 0;
/** What does not fit stands in the extra field for large files. 4.5.3. */
const FULL_32 = 0xffffffff;
const FULL_16 = 0xffff;
const EXTRA_64 = 0x0001;
/** Seconds since 1970. 4.6.1, Info-ZIP's "UT". */
const EXTRA_TIME = 0x5455;

const HEAD_BYTES = 30;
const TIME_BYTES = 9;
const EXTRA_64_BYTES = 20;

/** Two such pieces: one is read while the other is written. */
const PIECE_BYTES = 1 << 20;

/** So many bytes of a file, from `start` on; their checksum where it is known already. */
export interface Stored {
  readonly path: string;
  readonly start: number;
  readonly bytes: number;
  readonly crc32?: number;
}

interface Entry {
  readonly name: Buffer;
  readonly bytes: number;
  readonly crc: number;
  readonly at: number;
}

/**
 * Writes a ZIP whose entries are stored as they are, one after the other, to a new file. Sizes and checksums stand in
 * front of each entry, so that it can be read as it arrives. Entries and archives may be larger than 4 GB.
 */
export class ZipWriter {
  private readonly entries: Entry[] = [];
  private readonly pieces: Buffer[] = [];
  private at = 0;

  private constructor(
    private readonly file: FileHandle,
    private readonly date: Date,
    private readonly largeFrom: number,
  ) {}

  /** `largeFrom`: a smaller limit than the real one, to exercise what large archives need on small ones. */
  static async create(path: string, date: Date, largeFrom = FULL_32): Promise<ZipWriter> {
    return new ZipWriter(await open(path, "wx"), date, largeFrom);
  }

  /** Of a file that is there, because others put entries into it: see `placesOf`. */
  static async around(path: string, date: Date, largeFrom = FULL_32): Promise<ZipWriter> {
    return new ZipWriter(await open(path, "r+"), date, largeFrom);
  }

  /** Where the bytes of each of the first entries of an archive stand in its file: it follows from names and sizes. */
  static placesOf(
    entries: readonly { readonly name: string; readonly bytes: number }[],
    largeFrom = FULL_32,
  ): number[] {
    let at = 0;
    return entries.map(({ name, bytes }) => {
      const place = at + HEAD_BYTES + Buffer.byteLength(name) + TIME_BYTES + (bytes >= largeFrom ? EXTRA_64_BYTES : 0);
      at = place + bytes;
      return place;
    });
  }

  /** An entry whose bytes another thread writes, in front of all that are added otherwise. */
  async addPlaced(name: string, bytes: number, crc: number): Promise<void> {
    await this.add(name, bytes, crc, () => Promise.resolve(crc));
  }

  /** `onBytes` is told how many more were written; throwing in it ends the whole. */
  async addFile(name: string, stored: Stored, onBytes: (more: number) => void): Promise<void> {
    const source = await open(stored.path);
    try {
      await this.add(name, stored.bytes, stored.crc32, async (place) => {
        let crc = 0;
        let writing: Promise<void> = Promise.resolve();
        try {
          for (let [done, turn] = [0, 0]; done < stored.bytes; turn = 1 - turn) {
            const buffer = (this.pieces[turn] ??= Buffer.allocUnsafe(PIECE_BYTES));
            const wanted = Math.min(buffer.length, stored.bytes - done);
            const { bytesRead } = await source.read(buffer, 0, wanted, stored.start + done);
            if (bytesRead === 0) throw new Error(`"${name}" ends before its ${stored.bytes} bytes`);
            const piece = buffer.subarray(0, bytesRead);
            if (stored.crc32 === undefined) crc = crc32(piece, crc);
            await writing;
            writing = this.write(piece, place + done);
            // Its failure is met when the next piece waits for it.
            writing.catch(() => undefined);
            done += bytesRead;
            onBytes(bytesRead);
          }
        } finally {
          // Nothing may be under way when the file is closed.
          await writing;
        }
        return crc;
      });
    } finally {
      await source.close();
    }
  }

  async addBytes(name: string, bytes: Uint8Array): Promise<void> {
    await this.add(name, bytes.length, crc32(bytes), async (place) => {
      await this.write(bytes, place);
      return 0;
    });
  }

  private async add(
    name: string,
    bytes: number,
    known: number | undefined,
    body: (place: number) => Promise<number>,
  ): Promise<void> {
    const entry = { name: Buffer.from(name, "utf8"), bytes, at: this.at };
    const place = this.at + this.localHeader({ ...entry, crc: 0 }).length;
    const found = await body(place);
    const done: Entry = { ...entry, crc: known ?? found };
    await this.write(this.localHeader(done), this.at);
    this.entries.push(done);
    this.at = place + bytes;
  }

  /** Writes the table of contents; `kept`: and makes sure that all is on the disk. */
  async finish({ kept }: { readonly kept: boolean } = { kept: true }): Promise<void> {
    const start = this.at;
    const central = Buffer.concat(this.entries.map((e) => this.centralHeader(e)));
    await this.write(central, start);
    await this.write(this.end(start, central.length), start + central.length);
    if (kept) await this.file.sync();
    await this.file.close();
  }

  async abandon(): Promise<void> {
    await this.file.close();
  }

  private async write(bytes: Uint8Array, at: number): Promise<void> {
    for (let done = 0; done < bytes.length;)
      done += (await this.file.write(bytes, done, bytes.length - done, at + done)).bytesWritten;
  }

  /** 4.3.7. */
  private localHeader({ name, bytes, crc }: Entry): Buffer {
    const large = bytes >= this.largeFrom;
    const extra = Buffer.concat([...(large ? [extraField(EXTRA_64, u64(bytes), u64(bytes))] : []), this.timeField()]);
    const head = Buffer.alloc(HEAD_BYTES);
    head.writeUInt32LE(LOCAL_HEADER, 0);
    head.writeUInt16LE(large ? VERSION_64 : VERSION, 4);
    this.common(head, 6, crc, large ? FULL_32 : bytes, name.length, extra.length);
    return Buffer.concat([head, name, extra]);
  }

  /** 4.3.12. */
  private centralHeader({ name, bytes, crc, at }: Entry): Buffer {
    const [large, far] = [bytes >= this.largeFrom, at >= this.largeFrom];
    const wide = [...(large ? [u64(bytes), u64(bytes)] : []), ...(far ? [u64(at)] : [])];
    const extra = Buffer.concat([...(wide.length > 0 ? [extraField(EXTRA_64, ...wide)] : []), this.timeField()]);
    const head = Buffer.alloc(46);
    head.writeUInt32LE(CENTRAL_HEADER, 0);
    head.writeUInt16LE(MADE_BY, 4);
    head.writeUInt16LE(large || far ? VERSION_64 : VERSION, 6);
    this.common(head, 8, crc, large ? FULL_32 : bytes, name.length, extra.length);
    head.writeUInt32LE(REGULAR_FILE, 38);
    head.writeUInt32LE(far ? FULL_32 : at, 42);
    return Buffer.concat([head, name, extra]);
  }

  /** What both headers say alike, from the flags on; method 0 is "stored". */
  private common(head: Buffer, from: number, crc: number, bytes: number, name: number, extra: number): void {
    const d = this.date;
    const year = Math.max(1980, Math.min(2107, d.getUTCFullYear()));
    head.writeUInt16LE(UTF8_NAMES, from);
    head.writeUInt16LE((d.getUTCHours() << 11) | (d.getUTCMinutes() << 5) | (d.getUTCSeconds() >> 1), from + 4);
    head.writeUInt16LE(((year - 1980) << 9) | ((d.getUTCMonth() + 1) << 5) | d.getUTCDate(), from + 6);
    head.writeUInt32LE(crc >>> 0, from + 8);
    head.writeUInt32LE(bytes, from + 12);
    head.writeUInt32LE(bytes, from + 16);
    head.writeUInt16LE(name, from + 20);
    head.writeUInt16LE(extra, from + 22);
  }

  private timeField(): Buffer {
    const body = Buffer.alloc(5);
    body.writeUInt8(1, 0);
    body.writeInt32LE(Math.floor(this.date.getTime() / 1000) | 0, 1);
    return extraField(EXTRA_TIME, body);
  }

  /** 4.3.14 to 4.3.16. */
  private end(start: number, length: number): Buffer {
    const count = this.entries.length;
    const large = count >= FULL_16 || start >= this.largeFrom || length >= this.largeFrom;
    const end = Buffer.alloc(22);
    end.writeUInt32LE(END, 0);
    end.writeUInt16LE(Math.min(count, FULL_16), 8);
    end.writeUInt16LE(Math.min(count, FULL_16), 10);
    end.writeUInt32LE(large ? FULL_32 : length, 12);
    end.writeUInt32LE(large ? FULL_32 : start, 16);
    if (!large) return end;
    const end64 = Buffer.alloc(56);
    end64.writeUInt32LE(END_64, 0);
    end64.writeBigUInt64LE(44n, 4);
    end64.writeUInt16LE(MADE_BY, 12);
    end64.writeUInt16LE(VERSION_64, 14);
    end64.writeBigUInt64LE(BigInt(count), 24);
    end64.writeBigUInt64LE(BigInt(count), 32);
    end64.writeBigUInt64LE(BigInt(length), 40);
    end64.writeBigUInt64LE(BigInt(start), 48);
    const locator = Buffer.alloc(20);
    locator.writeUInt32LE(END_64_LOCATOR, 0);
    locator.writeBigUInt64LE(BigInt(start + length), 8);
    locator.writeUInt32LE(1, 16);
    return Buffer.concat([end64, locator, end]);
  }
}

function extraField(id: number, ...body: readonly Buffer[]): Buffer {
  const head = Buffer.alloc(4);
  head.writeUInt16LE(id, 0);
  head.writeUInt16LE(
    body.reduce((sum, b) => sum + b.length, 0),
    2,
  );
  return Buffer.concat([head, ...body]);
}

function u64(value: number): Buffer {
  const bytes = Buffer.alloc(8);
  bytes.writeBigUInt64LE(BigInt(value), 0);
  return bytes;
}
