import { closeSync, fstatSync, fsyncSync, openSync, readSync, writeSync } from "node:fs";
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
    for (let done = 0; done < into.length; ) {
      const n = readSync(this.descriptor, into, done, into.length - done, at + done);
      if (n === 0) throw new MalformedFile("The file ends too early", this.size);
      done += n;
    }
  }

  close(): void {
    closeSync(this.descriptor);
  }
}

/** A new file on disk as a sink of bytes; `close` makes sure the bytes are on the disk. */
export class FileSink implements ByteSink {
  private readonly descriptor: number;

  constructor(path: string) {
    this.descriptor = openSync(path, "wx");
  }

  write(bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length; ) done += writeSync(this.descriptor, bytes, done, bytes.length - done);
  }

  patch(at: number, bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length; ) done += writeSync(this.descriptor, bytes, done, bytes.length - done, at + done);
  }

  close(): void {
    fsyncSync(this.descriptor);
    closeSync(this.descriptor);
  }
}
