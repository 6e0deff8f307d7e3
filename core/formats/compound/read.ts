import type { ByteRange, ByteSource } from "../bytes/bytes";
import { MalformedFile, bytesAt } from "../bytes/bytes";
import {
  END_OF_CHAIN,
  ENTRY_BYTES,
  FREE,
  HEADER_BYTES,
  HEADER_DIFAT,
  MINI_BYTES,
  MINI_CUTOFF,
  NO_ENTRY,
  ROOT,
  SIGNATURE,
  STORAGE,
  STREAM,
} from "./facts";

/** A storage of an opened file: what is in it, by name. It keeps hold of nothing that was taken out of it. */
export interface CompoundStorage {
  readonly classId: Uint8Array;
  readonly storageNames: readonly string[];
  readonly streamNames: readonly string[];
  /** Null: there is none of this name. */
  storage(name: string): CompoundStorage | null;
  stream(name: string): ByteSource | null;
}

const MOST_ENTRIES = 4_000_000;
const DEEPEST = 256;
/** With them the upper half of a length means nothing. */
const SMALL_SECTOR = 512;

export const isCompound = (head: Uint8Array): boolean => SIGNATURE.every((b, i) => head[i] === b);

/**
 * Opens a compound file: its whole directory, and its streams to be read in place. Tables and chains are held to the
 * file's size, so nothing in it can go round in circles or ask for more memory than the file is large. Throws
 * `MalformedFile` with the byte. MS-CFB.
 */
export function openCompound(source: ByteSource): CompoundStorage {
  return new CompoundReader(source).root();
}

interface Entry {
  readonly name: string;
  readonly kind: number;
  readonly left: number;
  readonly right: number;
  readonly child: number;
  readonly classId: Uint8Array;
  readonly start: number;
  readonly bytes: number;
}

/** Numbers of entries by their names. */
interface Children {
  readonly storages: ReadonlyMap<string, number>;
  readonly streams: ReadonlyMap<string, number>;
}

class CompoundReader {
  private readonly sectorBytes: number;
  private readonly fat: Uint32Array;
  /** The directory as it is in the file: of its entries few are looked at more than once. */
  private readonly directory: DataView;
  private readonly miniStream: ByteSource;
  private readonly miniFat: Uint32Array;

  constructor(private readonly source: ByteSource) {
    const header = bytesAt(source, 0, HEADER_BYTES);
    if (!isCompound(header)) throw new MalformedFile("This is no compound file", 0);
    const view = new DataView(header.buffer);
    const shift = view.getUint16(30, true);
    if (shift !== 9 && shift !== 12) throw new MalformedFile(`Sectors of 2^${shift} bytes are not known`, 30);
    if (view.getUint16(32, true) !== 6) throw new MalformedFile("Short sectors have another size than 64 bytes", 32);
    if (view.getUint32(56, true) !== MINI_CUTOFF) throw new MalformedFile("Short streams end at another length", 56);
    this.sectorBytes = 1 << shift;
    this.fat = this.readFat(view);
    const directory = this.chained(view.getUint32(48, true), null, "the directory");
    if (directory.size / ENTRY_BYTES > MOST_ENTRIES) throw new MalformedFile("The directory is too large", 48);
    this.directory = new DataView(bytesAt(directory, 0, directory.size).buffer);
    const root = this.entryAt(0);
    if (root?.kind !== ROOT) throw new MalformedFile("The directory does not begin with the root");
    this.miniStream = this.chained(root.start, root.bytes, "the short streams");
    const miniFat = this.chained(view.getUint32(60, true), null, "the table of short sectors");
    this.miniFat = numbers(bytesAt(miniFat, 0, miniFat.size));
  }

  root(): CompoundStorage {
    const root = this.entryAt(0) as Entry;
    this.check(root);
    return this.storage(root);
  }

  private get sectors(): number {
    return Math.max(0, Math.ceil(this.source.size / this.sectorBytes) - 1);
  }

  private sectorAt(sector: number): number {
    return (sector + 1) * this.sectorBytes;
  }

  private readFat(header: DataView): Uint32Array {
    const count = header.getUint32(44, true);
    const perSector = this.sectorBytes / 4;
    if (count > Math.ceil(this.sectors / perSector) + 1)
      throw new MalformedFile(`The file is said to have ${count} sectors of its table, more than there can be`, 44);
    const places: number[] = [];
    for (let k = 0; k < HEADER_DIFAT && places.length < count; k++) places.push(header.getUint32(76 + 4 * k, true));
    let next = header.getUint32(68, true);
    for (let n = 0; places.length < count; n++) {
      if (next === END_OF_CHAIN || next === FREE || n > this.sectors)
        throw new MalformedFile("The list of table sectors ends too early", 68);
      const more = numbers(this.sector(next));
      for (let k = 0; k < perSector - 1 && places.length < count; k++) places.push(more[k] as number);
      next = more[perSector - 1] as number;
    }
    const fat = new Uint32Array(count * perSector);
    places.forEach((place, i) => fat.set(numbers(this.sector(place)), i * perSector));
    return fat;
  }

  private sector(sector: number): Uint8Array {
    if (sector >= this.sectors) throw new MalformedFile(`Sector ${sector} lies outside of the file`);
    const at = this.sectorAt(sector);
    const bytes = new Uint8Array(this.sectorBytes);
    const there = Math.min(this.sectorBytes, this.source.size - at);
    this.source.read(at, bytes.subarray(0, there));
    return bytes;
  }

  /** The sectors of a chain as one source; without `bytes` as long as they are. */
  private chained(start: number, bytes: number | null, what: string): ByteSource {
    const most = bytes === null ? this.sectors : Math.ceil(bytes / this.sectorBytes);
    const runs = runsOf(this.fat, start, Math.min(most, this.sectors), what, bytes === null);
    const length = runs.reduce((n, r) => n + r.count, 0);
    if (bytes !== null && length < most)
      throw new MalformedFile(`${what} end too early, at sector ${length} of ${most}`);
    const size = bytes ?? length * this.sectorBytes;
    return new RunSource(this.source, runs, this.sectorBytes, this.sectorBytes, size);
  }

  private miniChained(start: number, bytes: number): ByteSource {
    const most = Math.ceil(bytes / MINI_BYTES);
    const runs = runsOf(this.miniFat, start, most, "a short stream", false);
    const length = runs.reduce((n, r) => n + r.count, 0);
    if (length < most) throw new MalformedFile(`A short stream ends too early, at ${length} of ${most} sectors`);
    return new RunSource(this.miniStream, runs, MINI_BYTES, 0, bytes);
  }

  private entryAt(number: number): Entry | null {
    const at = number * ENTRY_BYTES;
    const view = this.directory;
    if (number === NO_ENTRY || at + ENTRY_BYTES > view.byteLength) return null;
    const nameBytes = Math.min(64, view.getUint16(at + 64, true));
    let name = "";
    for (let i = 0; i + 2 < nameBytes; i += 2) name += String.fromCharCode(view.getUint16(at + i, true));
    const high = this.sectorBytes === SMALL_SECTOR ? 0 : view.getUint32(at + 124, true);
    return {
      name,
      kind: view.getUint8(at + 66),
      left: view.getUint32(at + 68, true),
      right: view.getUint32(at + 72, true),
      child: view.getUint32(at + 76, true),
      classId: new Uint8Array(view.buffer, at + 80, 16),
      start: view.getUint32(at + 116, true),
      bytes: view.getUint32(at + 120, true) + high * 0x100000000,
    };
  }

  /** Makes sure that the directory is a tree: what is in it is there, and is named once. */
  private check(root: Entry): void {
    const seen = new Uint8Array(Math.floor(this.directory.byteLength / ENTRY_BYTES));
    seen[0] = 1;
    const waiting = [{ number: root.child, in: root.name, depth: 0 }];
    for (let next = waiting.pop(); next; next = waiting.pop()) {
      const { number, depth } = next;
      if (number === NO_ENTRY) continue;
      if (depth > DEEPEST) throw new MalformedFile(`Storages are nested more than ${DEEPEST} deep`);
      const entry = this.entryAt(number);
      if (!entry) throw new MalformedFile(`"${next.in}" names entry ${number}, which there is not`);
      if (seen[number]) throw new MalformedFile(`Entry ${number} is named twice`);
      seen[number] = 1;
      if (entry.kind === STREAM && entry.bytes > this.source.size)
        throw new MalformedFile(`"${entry.name}" is said to have ${entry.bytes} bytes, more than the file`);
      waiting.push({ number: entry.left, in: next.in, depth }, { number: entry.right, in: next.in, depth });
      if (entry.kind === STORAGE) waiting.push({ number: entry.child, in: entry.name, depth: depth + 1 });
    }
  }

  /** What is in it is looked up when it is asked for, and let go of with it. */
  private storage(entry: Entry): CompoundStorage {
    let found: Children | null = null;
    const inside = () => (found ??= this.childrenOf(entry));
    return {
      classId: entry.classId,
      get storageNames() {
        return [...inside().storages.keys()];
      },
      get streamNames() {
        return [...inside().streams.keys()];
      },
      storage: (name) => {
        const child = this.entryAt(inside().storages.get(name) ?? NO_ENTRY);
        return child && this.storage(child);
      },
      stream: (name) => {
        const child = this.entryAt(inside().streams.get(name) ?? NO_ENTRY);
        return child && this.streamOf(child);
      },
    };
  }

  private childrenOf(entry: Entry): Children {
    const storages = new Map<string, number>();
    const streams = new Map<string, number>();
    const waiting = [entry.child];
    for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
      const child = this.entryAt(next);
      if (!child) continue;
      waiting.push(child.left, child.right);
      if (child.kind === STORAGE) storages.set(child.name, next);
      else if (child.kind === STREAM) streams.set(child.name, next);
    }
    return { storages, streams };
  }

  /** Opened when it is first read: of many streams few are. */
  private streamOf(entry: Entry): ByteSource {
    let opened: ByteSource | null = null;
    const open = () =>
      (opened ??=
        entry.bytes >= MINI_CUTOFF
          ? this.chained(entry.start, entry.bytes, `"${entry.name}"`)
          : this.miniChained(entry.start, entry.bytes));
    return {
      size: entry.bytes,
      read: (at, into) => void (into.length > 0 && open().read(at, into)),
      ranges: (at, length) => (length === 0 ? [] : (open().ranges?.(at, length) ?? [])),
    };
  }
}

interface Run {
  readonly start: number;
  readonly count: number;
}

/** A chain as runs of sectors that lie one behind another; at most `most` of them. */
function runsOf(table: Uint32Array, start: number, most: number, what: string, toEnd: boolean): readonly Run[] {
  const runs: { start: number; count: number }[] = [];
  let length = 0;
  for (let sector = start; sector !== END_OF_CHAIN && sector !== FREE; sector = table[sector] as number) {
    if (length >= most) {
      if (toEnd) throw new MalformedFile(`The chain of ${what} goes round in a circle`);
      break;
    }
    if (sector >= table.length)
      throw new MalformedFile(`The chain of ${what} leads to sector ${sector}, outside of the file`);
    const last = runs.at(-1);
    if (last && last.start + last.count === sector) last.count++;
    else runs.push({ start: sector, count: 1 });
    length++;
  }
  return runs;
}

/** Runs of sectors of another source, as one. */
class RunSource implements ByteSource {
  /** Where each run begins in this source. */
  private readonly begins: readonly number[];

  constructor(
    private readonly whole: ByteSource,
    private readonly runs: readonly Run[],
    private readonly sectorBytes: number,
    private readonly shift: number,
    readonly size: number,
  ) {
    let at = 0;
    this.begins = runs.map((run) => {
      const begin = at;
      at += run.count * sectorBytes;
      return begin;
    });
  }

  read(at: number, into: Uint8Array): void {
    this.each(at, into.length, (where, done, n) => this.whole.read(where, into.subarray(done, done + n)));
  }

  ranges(at: number, length: number): readonly ByteRange[] {
    const found: ByteRange[] = [];
    this.each(at, length, (where, _, n) => {
      for (const range of this.whole.ranges?.(where, n) ?? []) found.push(range);
    });
    return found;
  }

  /** Goes through the stretches of the other source that so many bytes are. */
  private each(at: number, length: number, visit: (where: number, done: number, bytes: number) => void): void {
    if (at < 0 || at + length > this.size) throw new MalformedFile("A stream ends too early", this.size);
    let low = 0;
    let high = this.runs.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.begins[middle] as number) <= at) low = middle;
      else high = middle - 1;
    }
    for (let done = 0, r = low; done < length; r++) {
      const run = this.runs[r];
      if (!run) throw new MalformedFile("A stream ends too early", this.size);
      const inside = at + done - (this.begins[r] as number);
      const n = Math.min(length - done, run.count * this.sectorBytes - inside);
      visit(this.shift + run.start * this.sectorBytes + inside, done, n);
      done += n;
    }
  }
}

function numbers(bytes: Uint8Array): Uint32Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  return Uint32Array.from({ length: bytes.length >> 2 }, (_, i) => view.getUint32(4 * i, true));
}
