import { closeSync, fstatSync, openSync, readSync, writeSync } from "node:fs";
import type { ByteSink, ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";

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

  close(): void {
    closeSync(this.descriptor);
  }
}

const BUFFER_BYTES = 1 << 17;

/**
 * A new file as a sink of bytes, written in large pieces. What is to be kept is made sure of when it takes its place:
 * see `AudioStore.adopt`.
 */
export class FileSink implements ByteSink {
  private readonly descriptor: number;
  private readonly buffer = new Uint8Array(BUFFER_BYTES);
  private held = 0;

  constructor(path: string) {
    this.descriptor = openSync(path, "wx");
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
    for (let done = 0; done < length;) done += writeSync(this.descriptor, bytes, done, length - done);
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
