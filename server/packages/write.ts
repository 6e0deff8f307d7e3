import { createHash } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import type { Readable } from "node:stream";
import { Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { ZipFile } from "yazl";
import type { Paper } from "../../core/papers/papers";
import type { Manifest } from "../../core/delivery/manifest";
import { HASH_LIST_NAME, MANIFEST_NAME, hashList } from "../../core/delivery/manifest";

export interface PackedFile {
  /** Where its bytes are: so many of a file's, from `start` on. */
  readonly path: string;
  readonly start: number;
  /** Inside the package's folder. */
  readonly name: string;
  readonly bytes: number;
}

/**
 * Streams files into one ZIP, stored as they are, and beside them the papers, the manifest and the list of hashes.
 */
export async function writePackage(
  zipPath: string,
  files: readonly PackedFile[],
  papers: readonly Pick<Paper, "name" | "bytes">[],
  manifest: Manifest,
  {
    date,
    signal,
    onBytes,
  }: { readonly date: Date; readonly signal: AbortSignal; readonly onBytes: (done: number) => void },
): Promise<void> {
  const zip = new ZipFile();
  const output = createWriteStream(zipPath, { flags: "wx", flush: true });
  let failed: unknown = null;
  // A file that cannot be read ends the whole: the writer of the ZIP itself would wait for its bytes for ever.
  const fail = (error: unknown) => {
    failed ??= error;
    output.destroy();
  };
  zip.on("error", fail);
  let done = 0;
  for (const file of files) {
    zip.addReadStreamLazy(
      `${manifest.folder}/${file.name}`,
      { compress: false, mtime: date, size: file.bytes },
      (give) => {
        const counted = new Transform({
          transform(chunk: Buffer, _encoding, next) {
            done += chunk.length;
            onBytes(done);
            next(null, chunk);
          },
        });
        give(
          null,
          createReadStream(file.path, { start: file.start, end: file.start + file.bytes - 1, highWaterMark: 1 << 20 })
            .on("error", fail)
            .pipe(counted.on("error", fail)),
        );
      },
    );
  }
  const add = (name: string, bytes: Uint8Array, compress = false) =>
    zip.addBuffer(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length), `${manifest.folder}/${name}`, {
      compress,
      mtime: date,
    });
  for (const { name, bytes } of papers) add(name, bytes);
  const text = Buffer.from(JSON.stringify(manifest, null, 2));
  add(MANIFEST_NAME, text, true);
  add(HASH_LIST_NAME, Buffer.from(hashList(manifest, createHash("sha256").update(text).digest("hex"))));
  zip.end();
  try {
    await pipeline(zip.outputStream as Readable, output, { signal });
  } catch (error) {
    throw failed ?? error;
  }
}
