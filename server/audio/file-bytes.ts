import { closeSync, fstatSync, openSync, readSync, writeSync } from "node:fs";
import type { ByteRange, ByteSource, SkippingSink } from "../../core/formats/bytes/bytes";
import { HeadedSource, MalformedFile } from "../../core/formats/bytes/bytes";
import { RoomWatch } from "./room";

/** A file on disk as a source of bytes; close it when done. */
export class FileSource implements ByteSource {
  private readonly descriptor: number;
  readonly size: number;

  constructor(path: string) {
    this.descriptor = openSync(path, "r");
    this.size = fstatSync(this.descriptor).size;
  }

  read(at: number, into: Uint8Array): void {
    for (let done = 0; done < into.length;) {
      const n = readSync(this.descriptor, into, done, into.length - done, at + done);
      if (n === 0) throw new MalformedFile("The file ends too early", this.size);
      done += n;
    }
  }

  ranges(at: number, length: number): readonly ByteRange[] {
    return [{ at, bytes: length }];
  }

  close(): void {
    closeSync(this.descriptor);
  }
}

/** Bytes of a file that are read as if they were one: they can be told to another thread. */
export interface PieceOfFile {
  readonly path: string;
  /** In front of what is in the file. */
  readonly head: Uint8Array | null;
  readonly ranges: readonly ByteRange[];
}

/** Where the bytes of a source lie in a file. Throws where they are in none. */
export function pieceOf(path: string, source: ByteSource): PieceOfFile {
  const { head, body, bytes } =
    source instanceof HeadedSource
      ? { head: source.head, body: source.body, bytes: source.size - source.head.length }
      : { head: null, body: source, bytes: source.size };
  const ranges = body.ranges?.(0, bytes) ?? [];
  if (ranges.reduce((n, r) => n + r.bytes, 0) !== bytes) throw new Error(`the bytes are not in "${path}"`);
  return { path, head, ranges };
}

/** Opens a piece of a file. */
export class PieceSource implements ByteSource {
  readonly size: number;
  private readonly file: FileSource;
  private readonly begins: readonly number[];

  constructor(private readonly piece: PieceOfFile) {
    this.file = new FileSource(piece.path);
    let at = piece.head?.length ?? 0;
    this.begins = piece.ranges.map((r) => {
      const begin = at;
      at += r.bytes;
      return begin;
    });
    this.size = at;
  }

  read(at: number, into: Uint8Array): void {
    if (at < 0 || at + into.length > this.size) throw new MalformedFile("The file ends too early", this.size);
    const { head, ranges } = this.piece;
    let done = Math.max(0, Math.min(into.length, (head?.length ?? 0) - at));
    if (head && done > 0) into.set(head.subarray(at, at + done));
    let low = 0;
    let high = ranges.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.begins[middle] as number) <= at + done) low = middle;
      else high = middle - 1;
    }
    for (let r = low; done < into.length; r++) {
      const range = ranges[r] as ByteRange;
      const inside = at + done - (this.begins[r] as number);
      const n = Math.min(into.length - done, range.bytes - inside);
      this.file.read(range.at + inside, into.subarray(done, done + n));
      done += n;
    }
  }

  close(): void {
    this.file.close();
  }
}

const BUFFER_BYTES = 1 << 17;

/**
 * A new file as a sink of bytes, written in large pieces. What is to be kept is made sure of when it takes its place:
 * see `AudioStore.adopt`.
 */
export class FileSink implements SkippingSink {
  private readonly descriptor: number;
  private readonly room: RoomWatch;
  private readonly buffer = new Uint8Array(BUFFER_BYTES);
  private held = 0;
  /** Where in the file the next piece goes. */
  private at = 0;

  /** `isMade`: the file is there already, empty, because others write to it as well. */
  constructor(path: string, { isMade = false }: { readonly isMade?: boolean } = {}) {
    this.descriptor = openSync(path, isMade ? "r+" : "wx");
    this.room = new RoomWatch(path);
  }

  write(bytes: Uint8Array): void {
    if (this.held + bytes.length > BUFFER_BYTES) this.flush();
    if (bytes.length > BUFFER_BYTES) this.put(bytes, bytes.length);
    else {
      this.buffer.set(bytes, this.held);
      this.held += bytes.length;
    }
  }

  private flush(): void {
    this.put(this.buffer, this.held);
    this.held = 0;
  }

  private put(bytes: Uint8Array, length: number): void {
    this.room.take(length);
    for (let done = 0; done < length;) done += writeSync(this.descriptor, bytes, done, length - done, this.at + done);
    this.at += length;
  }

  skip(bytes: number): void {
    this.flush();
    this.at += bytes;
  }

  /** Overwrites what was written before, wherever it is. */
  patch(at: number, bytes: Uint8Array): void {
    this.flush();
    for (let done = 0; done < bytes.length;)
      done += writeSync(this.descriptor, bytes, done, bytes.length - done, at + done);
  }

  close(): void {
    this.flush();
    closeSync(this.descriptor);
  }

  /** Lets go of the file as it is: what is still held is not written. */
  abandon(): void {
    closeSync(this.descriptor);
  }
}
