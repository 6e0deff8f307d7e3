/**
 * Where a format reads from: random access, synchronous. `read` fills `into` from `at` or throws when the bytes are not
 * there.
 */
export interface ByteSource {
  readonly size: number;
  read(at: number, into: Uint8Array): void;
  /** Where so many bytes lie in the file that all this is read from; none where they are in no file. */
  ranges?(at: number, length: number): readonly ByteRange[];
}

/** A stretch of a file. */
export interface ByteRange {
  readonly at: number;
  readonly bytes: number;
}

/** Where a format writes to: in order, with places written earlier that can be filled in later. */
export interface ByteSink {
  write(bytes: Uint8Array): void;
  patch(at: number, bytes: Uint8Array): void;
}

/** One in which places can be left for others to fill in. */
export interface SkippingSink extends ByteSink {
  skip(bytes: number): void;
}

/** A file that is not what it claims to be: which fault, and where in it. */
export class MalformedFile extends Error {
  override readonly name = "MalformedFile";
  constructor(
    what: string,
    readonly at: number | null = null,
  ) {
    super(at === null ? what : `${what} (at byte ${at})`);
  }
}

export class MemorySource implements ByteSource {
  constructor(private readonly bytes: Uint8Array) {}

  get size(): number {
    return this.bytes.length;
  }

  read(at: number, into: Uint8Array): void {
    if (at < 0 || at + into.length > this.bytes.length)
      throw new MalformedFile("The file ends too early", this.bytes.length);
    into.set(this.bytes.subarray(at, at + into.length));
  }
}

export class MemorySink implements SkippingSink {
  private buffer = new Uint8Array(1 << 16);
  private length = 0;

  write(bytes: Uint8Array): void {
    if (this.length + bytes.length > this.buffer.length) {
      const grown = new Uint8Array(Math.max(this.buffer.length * 2, this.length + bytes.length));
      grown.set(this.buffer.subarray(0, this.length));
      this.buffer = grown;
    }
    this.buffer.set(bytes, this.length);
    this.length += bytes.length;
  }

  skip(bytes: number): void {
    this.write(new Uint8Array(bytes));
  }

  patch(at: number, bytes: Uint8Array): void {
    this.buffer.set(bytes, at);
  }

  /** What was written so far; a view that later writes may leave behind. */
  bytes(): Uint8Array {
    return this.buffer.subarray(0, this.length);
  }
}

/** A part of another source, as if it were a file of its own. */
export class SliceSource implements ByteSource {
  constructor(
    private readonly whole: ByteSource,
    private readonly start: number,
    readonly size: number,
  ) {}

  read(at: number, into: Uint8Array): void {
    if (at < 0 || at + into.length > this.size) throw new MalformedFile("The file ends too early", this.size);
    this.whole.read(this.start + at, into);
  }

  ranges(at: number, length: number): readonly ByteRange[] {
    return this.whole.ranges?.(this.start + at, length) ?? [];
  }
}

/** Bytes of another source with some of one's own in front: a header for what is bare. */
export class HeadedSource implements ByteSource {
  readonly size: number;

  constructor(
    readonly head: Uint8Array,
    readonly body: ByteSource,
    bodyBytes: number,
  ) {
    this.size = head.length + bodyBytes;
  }

  read(at: number, into: Uint8Array): void {
    if (at < 0 || at + into.length > this.size) throw new MalformedFile("The file ends too early", this.size);
    const inHead = Math.max(0, Math.min(into.length, this.head.length - at));
    if (inHead > 0) into.set(this.head.subarray(at, at + inHead));
    if (inHead < into.length) this.body.read(at + inHead - this.head.length, into.subarray(inHead));
  }
}

/** A copy of some bytes of a source. Throws `MalformedFile` where there are not so many. */
export function bytesAt(source: ByteSource, at: number, length: number): Uint8Array<ArrayBuffer> {
  if (at + length > source.size) throw new MalformedFile("The file ends too early", source.size);
  const bytes = new Uint8Array(length);
  source.read(at, bytes);
  return bytes;
}

/** The four letters that name a chunk. */
export const tagAt = (bytes: Uint8Array, at: number): string => String.fromCharCode(...bytes.subarray(at, at + 4));
