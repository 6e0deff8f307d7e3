import type { ByteSink } from "../bytes/bytes";
import {
  DIFAT_SECTOR,
  END_OF_CHAIN,
  ENTRY_BYTES,
  FAT_SECTOR,
  FREE,
  HEADER_BYTES,
  HEADER_DIFAT,
  LONGEST_NAME,
  MINI_BYTES,
  MINI_CUTOFF,
  NO_ENTRY,
  ROOT,
  SIGNATURE,
  STORAGE,
  STREAM,
} from "./facts";

/** A storage or a stream, by its number in the directory. */
export type Entry = number;

interface Item {
  readonly name: string;
  readonly kind: typeof STORAGE | typeof STREAM | typeof ROOT;
  readonly classId: Uint8Array | null;
  /** Null in a stream. */
  readonly children: Entry[] | null;
  start: number;
  bytes: number;
}

/**
 * Writes a compound file in one go: large streams straight to the sink, sector behind sector, short ones gathered and
 * written at the end, then the directory and the tables. Memory grows with the number of entries and what is short,
 * never with a large stream. MS-CFB, version 4 for sectors of 4,096 bytes, 3 for those of 512.
 */
export class CompoundWriter {
  private readonly items: Item[] = [];
  /** What each run of sectors is: how many there are, and whether each leads to the next. */
  private readonly runs: { readonly sectors: number; readonly kind: "chain" | "fat" | "difat" }[] = [];
  private sectors = 0;
  /** Short streams one behind the other; twice as long when it is full. */
  private mini = new Uint8Array(1 << 16);
  private miniBytes = 0;
  private readonly miniRuns: number[] = [];
  private open = false;

  /** `classId`: 16 bytes that say in the header what the file is; `rootId`: those of its root. */
  constructor(
    private readonly sink: ByteSink,
    private readonly sectorBytes: 512 | 4096,
    private readonly classId: Uint8Array,
    rootId: Uint8Array,
  ) {
    this.items.push({ name: "Root Entry", kind: ROOT, classId: rootId, children: [], start: END_OF_CHAIN, bytes: 0 });
    // The header takes the place of a whole sector.
    sink.write(new Uint8Array(sectorBytes));
  }

  get root(): Entry {
    return 0;
  }

  storage(parent: Entry, name: string, classId: Uint8Array): Entry {
    return this.add(parent, { name, kind: STORAGE, classId, children: [], start: 0, bytes: 0 });
  }

  /** A stream whose bytes are at hand. */
  stream(parent: Entry, name: string, bytes: Uint8Array): void {
    if (bytes.length >= MINI_CUTOFF) {
      const stream = this.largeStream(parent, name);
      stream.write(bytes);
      stream.end();
      return;
    }
    const start = bytes.length === 0 ? END_OF_CHAIN : this.miniBytes / MINI_BYTES;
    this.add(parent, { name, kind: STREAM, classId: null, children: null, start, bytes: bytes.length });
    if (bytes.length === 0) return;
    const sectors = Math.ceil(bytes.length / MINI_BYTES);
    while (this.miniBytes + sectors * MINI_BYTES > this.mini.length) {
      const longer = new Uint8Array(2 * this.mini.length);
      longer.set(this.mini);
      this.mini = longer;
    }
    this.mini.set(bytes, this.miniBytes);
    this.miniBytes += sectors * MINI_BYTES;
    this.miniRuns.push(sectors);
  }

  /** A stream of at least 4,096 bytes that comes piece by piece; no other may be begun before it has ended. */
  largeStream(parent: Entry, name: string): { write(bytes: Uint8Array): void; end(): void } {
    if (this.open) throw new Error("a stream is begun before another has ended");
    this.open = true;
    const start = this.sectors;
    const item: Item = { name, kind: STREAM, classId: null, children: null, start, bytes: 0 };
    this.add(parent, item);
    return {
      write: (bytes) => {
        this.sink.write(bytes);
        item.bytes += bytes.length;
      },
      end: () => {
        if (item.bytes < MINI_CUTOFF) throw new RangeError(`"${name}" has ${item.bytes} bytes, too few to stand alone`);
        this.open = false;
        this.pad(item.bytes);
        this.take(Math.ceil(item.bytes / this.sectorBytes), "chain");
      },
    };
  }

  /** Writes all that is left, and fills the header in. Nothing can be added afterwards. */
  finish(): void {
    const root = this.items[0] as Item;
    root.bytes = this.miniBytes;
    root.start = this.miniBytes === 0 ? END_OF_CHAIN : this.sectors;
    if (this.miniBytes > 0) this.sink.write(this.mini.subarray(0, this.miniBytes));
    this.pad(this.miniBytes);
    this.take(Math.ceil(this.miniBytes / this.sectorBytes), "chain");

    const miniFatStart = this.sectors;
    const miniFat = this.table(Math.ceil((this.miniBytes / MINI_BYTES) * 4) || 0, (put) => {
      let at = 0;
      for (const sectors of this.miniRuns)
        for (let k = 1; k <= sectors; k++) put(k < sectors ? ++at : (at++, END_OF_CHAIN));
    });
    this.take(miniFat, "chain");

    const directoryStart = this.sectors;
    const directory = this.directory();
    this.sink.write(directory);
    const directorySectors = directory.length / this.sectorBytes;
    this.take(directorySectors, "chain");

    const { fatSectors, difatSectors } = this.tables();
    const difatStart = this.sectors;
    this.take(difatSectors, "difat");
    const fatStart = this.sectors;
    this.take(fatSectors, "fat");
    this.writeDifat(difatStart, difatSectors, fatStart, fatSectors);
    this.writeFat(fatSectors);
    this.writeHeader({
      directoryStart,
      directorySectors,
      fatStart,
      fatSectors,
      difatStart: difatSectors === 0 ? END_OF_CHAIN : difatStart,
      difatSectors,
      miniFatStart: miniFat === 0 ? END_OF_CHAIN : miniFatStart,
      miniFat,
    });
  }

  private add(parent: Entry, item: Item): Entry {
    if (item.name.length > LONGEST_NAME || item.name === "")
      throw new RangeError(`"${item.name}" is no name of 1 to ${LONGEST_NAME} characters`);
    const entry = this.items.push(item) - 1;
    (this.items[parent] as Item).children?.push(entry);
    return entry;
  }

  private take(sectors: number, kind: "chain" | "fat" | "difat"): void {
    if (sectors > 0) this.runs.push({ sectors, kind });
    this.sectors += sectors;
  }

  private pad(bytes: number): void {
    const rest = bytes % this.sectorBytes;
    if (rest > 0) this.sink.write(new Uint8Array(this.sectorBytes - rest));
  }

  /** How many sectors of tables hold all sectors, their own included. */
  private tables(): { readonly fatSectors: number; readonly difatSectors: number } {
    const perFat = this.sectorBytes / 4;
    let [fatSectors, difatSectors] = [0, 0];
    for (;;) {
      const fat = Math.ceil((this.sectors + fatSectors + difatSectors) / perFat);
      const difat = Math.max(0, Math.ceil((fat - HEADER_DIFAT) / (perFat - 1)));
      if (fat === fatSectors && difat === difatSectors) return { fatSectors, difatSectors };
      [fatSectors, difatSectors] = [fat, difat];
    }
  }

  /** Numbers of four bytes, filled up to whole sectors with free ones; how many sectors they are. */
  private table(bytes: number, fill: (put: (value: number) => void) => void): number {
    const sectors = Math.ceil(bytes / this.sectorBytes);
    const table = new Uint8Array(sectors * this.sectorBytes).fill(0xff);
    const view = new DataView(table.buffer);
    let at = 0;
    fill((value) => {
      view.setUint32(at, value, true);
      at += 4;
    });
    if (sectors > 0) this.sink.write(table);
    return sectors;
  }

  private writeFat(fatSectors: number): void {
    this.table(fatSectors * this.sectorBytes, (put) => {
      let at = 0;
      for (const { sectors, kind } of this.runs) {
        for (let k = 1; k <= sectors; k++) {
          at++;
          put(kind === "fat" ? FAT_SECTOR : kind === "difat" ? DIFAT_SECTOR : k < sectors ? at : END_OF_CHAIN);
        }
      }
    });
  }

  private writeDifat(start: number, sectors: number, fatStart: number, fatSectors: number): void {
    const perSector = this.sectorBytes / 4 - 1;
    this.table(sectors * this.sectorBytes, (put) => {
      let fat = HEADER_DIFAT;
      for (let s = 0; s < sectors; s++) {
        for (let k = 0; k < perSector; k++, fat++) put(fat < fatSectors ? fatStart + fat : FREE);
        put(s + 1 < sectors ? start + s + 1 : END_OF_CHAIN);
      }
    });
  }

  private writeHeader(at: {
    readonly directoryStart: number;
    readonly directorySectors: number;
    readonly fatStart: number;
    readonly fatSectors: number;
    readonly difatStart: number;
    readonly difatSectors: number;
    readonly miniFatStart: number;
    readonly miniFat: number;
  }): void {
    const header = new Uint8Array(HEADER_BYTES);
    const view = new DataView(header.buffer);
    const isLarge = this.sectorBytes === 4096;
    header.set(SIGNATURE);
    header.set(this.classId, 8);
    view.setUint16(24, 0x3e, true);
    view.setUint16(26, isLarge ? 4 : 3, true);
    view.setUint16(28, 0xfffe, true);
    view.setUint16(30, isLarge ? 12 : 9, true);
    view.setUint16(32, 6, true);
    // Of version 3 the number of directory sectors is 0. MS-CFB 2.2.
    view.setUint32(40, isLarge ? at.directorySectors : 0, true);
    view.setUint32(44, at.fatSectors, true);
    view.setUint32(48, at.directoryStart, true);
    view.setUint32(56, MINI_CUTOFF, true);
    view.setUint32(60, at.miniFatStart, true);
    view.setUint32(64, at.miniFat, true);
    view.setUint32(68, at.difatStart, true);
    view.setUint32(72, at.difatSectors, true);
    for (let k = 0; k < HEADER_DIFAT; k++) view.setUint32(76 + 4 * k, k < at.fatSectors ? at.fatStart + k : FREE, true);
    this.sink.patch(0, header);
  }

  private directory(): Uint8Array {
    const size = Math.ceil((this.items.length * ENTRY_BYTES) / this.sectorBytes) * this.sectorBytes;
    const bytes = new Uint8Array(size);
    const view = new DataView(bytes.buffer);
    for (let at = 0; at < size; at += ENTRY_BYTES)
      for (const field of [68, 72, 76]) view.setUint32(at + field, NO_ENTRY, true);
    this.items.forEach((item, entry) => {
      const at = entry * ENTRY_BYTES;
      for (let i = 0; i < item.name.length; i++) view.setUint16(at + 2 * i, item.name.charCodeAt(i), true);
      view.setUint16(at + 64, 2 * (item.name.length + 1), true);
      view.setUint8(at + 66, item.kind);
      view.setUint8(at + 67, BLACK);
      if (item.classId) bytes.set(item.classId, at + 80);
      view.setUint32(at + 116, item.start, true);
      view.setUint32(at + 120, item.bytes >>> 0, true);
      view.setUint32(at + 124, Math.floor(item.bytes / 0x100000000), true);
    });
    this.items.forEach((item, entry) => {
      if (!item.children) return;
      const sorted = [...item.children].sort((a, b) => compareNames(this.items[a] as Item, this.items[b] as Item));
      const levels = 31 - Math.clz32(sorted.length + 1);
      // All levels are full but for the last, which is red: every way down has as many black ones.
      const build = (from: number, to: number, level: number): Entry => {
        if (from >= to) return NO_ENTRY;
        const middle = (from + to) >> 1;
        const child = sorted[middle] as Entry;
        const at = child * ENTRY_BYTES;
        view.setUint8(at + 67, level >= levels ? RED : BLACK);
        view.setUint32(at + 68, build(from, middle, level + 1), true);
        view.setUint32(at + 72, build(middle + 1, to, level + 1), true);
        return child;
      };
      view.setUint32(entry * ENTRY_BYTES + 76, build(0, sorted.length, 0), true);
    });
    return bytes;
  }
}

const RED = 0;
const BLACK = 1;

/** Shorter names come first, then capital letters decide. MS-CFB 2.6.4. */
function compareNames(a: Pick<Item, "name">, b: Pick<Item, "name">): number {
  if (a.name.length !== b.name.length) return a.name.length - b.name.length;
  const [x, y] = [a.name.toUpperCase(), b.name.toUpperCase()];
  return x < y ? -1 : x > y ? 1 : 0;
}
