import type { SkippingSink } from "../bytes/bytes";
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

/** A place that was left for a stream. */
export interface Reserved {
  readonly start: number;
  readonly bytes: number;
  /** First byte in the file. */
  readonly at: number;
}

interface Item {
  readonly name: string;
  readonly kind: typeof STORAGE | typeof STREAM | typeof ROOT;
  readonly classId: Uint8Array | null;
  readonly start: number;
  readonly bytes: number;
}

/**
 * Storages and streams in the order they were made, a column for each of what is said of them: of hundreds of
 * thousands, few objects for the memory to be swept of.
 */
class Directory {
  readonly names: string[] = [];
  readonly classIds: (Uint8Array | null)[] = [];
  private kinds = new Uint8Array(1024);
  private starts = new Float64Array(1024);
  private sizes = new Float64Array(1024);
  /** The last child of a storage, and of a child the one before it; -1: none. */
  private lastChildren = new Int32Array(1024);
  private siblings = new Int32Array(1024);

  get length(): number {
    return this.names.length;
  }

  /** `parent`: null of the root. */
  add(parent: Entry | null, { name, kind, classId, start, bytes }: Item): Entry {
    const entry = this.names.push(name) - 1;
    if (entry === this.kinds.length) this.grow();
    this.classIds.push(classId);
    this.kinds[entry] = kind;
    this.lastChildren[entry] = -1;
    this.place(entry, start, bytes);
    if (parent !== null) {
      this.siblings[entry] = this.lastChildren[parent] as number;
      this.lastChildren[parent] = entry;
    }
    return entry;
  }

  place(entry: Entry, start: number, bytes: number): void {
    this.starts[entry] = start;
    this.sizes[entry] = bytes;
  }

  kindOf = (entry: Entry): number => this.kinds[entry] as number;
  startOf = (entry: Entry): number => this.starts[entry] as number;
  bytesOf = (entry: Entry): number => this.sizes[entry] as number;

  childrenOf(entry: Entry): Entry[] {
    const children: Entry[] = [];
    for (let child = this.lastChildren[entry] as number; child >= 0; child = this.siblings[child] as number)
      children.push(child);
    return children;
  }

  private grow(): void {
    const longer = <T extends Uint8Array | Int32Array | Float64Array>(made: T, from: T): T => {
      made.set(from);
      return made;
    };
    const length = 2 * this.kinds.length;
    this.kinds = longer(new Uint8Array(length), this.kinds);
    this.starts = longer(new Float64Array(length), this.starts);
    this.sizes = longer(new Float64Array(length), this.sizes);
    this.lastChildren = longer(new Int32Array(length), this.lastChildren);
    this.siblings = longer(new Int32Array(length), this.siblings);
  }
}

/**
 * Writes a compound file in one go: large streams straight to the sink, sector behind sector, short ones gathered and
 * written at the end, then the directory and the tables. Memory grows with the number of entries and what is short,
 * never with a large stream. MS-CFB, version 4 for sectors of 4,096 bytes, 3 for those of 512.
 */
export class CompoundWriter {
  private readonly items = new Directory();
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
    private readonly sink: SkippingSink,
    private readonly sectorBytes: 512 | 4096,
    private readonly classId: Uint8Array,
    rootId: Uint8Array,
  ) {
    this.items.add(null, { name: "Root Entry", kind: ROOT, classId: rootId, start: END_OF_CHAIN, bytes: 0 });
    // The header takes the place of a whole sector.
    sink.write(new Uint8Array(sectorBytes));
  }

  get root(): Entry {
    return 0;
  }

  storage(parent: Entry, name: string, classId: Uint8Array): Entry {
    return this.add(parent, { name, kind: STORAGE, classId, start: 0, bytes: 0 });
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
    this.add(parent, { name, kind: STREAM, classId: null, start, bytes: bytes.length });
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
    const entry = this.add(parent, { name, kind: STREAM, classId: null, start, bytes: 0 });
    let written = 0;
    return {
      write: (bytes) => {
        this.sink.write(bytes);
        written += bytes.length;
      },
      end: () => {
        if (written < MINI_CUTOFF) throw new RangeError(`"${name}" has ${written} bytes, too few to stand alone`);
        this.open = false;
        this.items.place(entry, start, written);
        this.pad(written);
        this.take(Math.ceil(written / this.sectorBytes), "chain");
      },
    };
  }

  /**
   * Leaves a place for a stream of at least 4,096 bytes that another thread puts there, and answers with where it is in
   * the file; before anything else is added, so that all know it.
   */
  reserve(bytes: number): Reserved {
    if (bytes < MINI_CUTOFF) throw new RangeError(`${bytes} bytes are too few to stand alone`);
    if (this.open) throw new Error("a place is left before a stream has ended");
    const start = this.sectors;
    const sectors = Math.ceil(bytes / this.sectorBytes);
    this.sink.skip(sectors * this.sectorBytes);
    this.take(sectors, "chain");
    return { start, bytes, at: (start + 1) * this.sectorBytes };
  }

  /** A stream whose bytes stand in a place that was left for them. */
  reserved(parent: Entry, name: string, { start, bytes }: Reserved): void {
    this.add(parent, { name, kind: STREAM, classId: null, start, bytes });
  }

  /** Writes all that is left, and fills the header in. Nothing can be added afterwards. */
  finish(): void {
    this.items.place(this.root, this.miniBytes === 0 ? END_OF_CHAIN : this.sectors, this.miniBytes);
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
    return this.items.add(parent, item);
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
    const { items } = this;
    for (let entry = 0; entry < items.length; entry++) {
      const at = entry * ENTRY_BYTES;
      const name = items.names[entry] as string;
      const classId = items.classIds[entry];
      const length = items.bytesOf(entry);
      for (let i = 0; i < name.length; i++) view.setUint16(at + 2 * i, name.charCodeAt(i), true);
      view.setUint16(at + 64, 2 * (name.length + 1), true);
      view.setUint8(at + 66, items.kindOf(entry));
      view.setUint8(at + 67, BLACK);
      if (classId) bytes.set(classId, at + 80);
      view.setUint32(at + 116, items.startOf(entry), true);
      view.setUint32(at + 120, length >>> 0, true);
      view.setUint32(at + 124, Math.floor(length / 0x100000000), true);
    }
    for (let entry = 0; entry < items.length; entry++) {
      if (items.kindOf(entry) === STREAM) continue;
      const sorted = items
        .childrenOf(entry)
        .sort((a, b) => compareNames(items.names[a] as string, items.names[b] as string));
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
    }
    return bytes;
  }
}

const RED = 0;
const BLACK = 1;

/** Shorter names come first, then capital letters decide. MS-CFB 2.6.4. */
function compareNames(a: string, b: string): number {
  if (a.length !== b.length) return a.length - b.length;
  const [x, y] = [a.toUpperCase(), b.toUpperCase()];
  return x < y ? -1 : x > y ? 1 : 0;
}
