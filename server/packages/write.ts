import { createReadStream, createWriteStream } from "node:fs";
import type { Readable } from "node:stream";
import { Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { ZipFile } from "yazl";
import type { Manifest } from "../../core/delivery/manifest";

export interface PackedFile {
  readonly path: string;
  /** Inside the package's folder. */
  readonly name: string;
  readonly bytes: number;
}

/** Streams files into one ZIP, stored as they are, with the manifest beside them. */
export async function writePackage(
  zipPath: string,
  files: readonly PackedFile[],
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
          createReadStream(file.path, { highWaterMark: 1 << 20 })
            .on("error", fail)
            .pipe(counted.on("error", fail)),
        );
      },
    );
  }
  zip.addBuffer(Buffer.from(JSON.stringify(manifest, null, 2)), `${manifest.folder}/manifest.json`, {
    compress: true,
    mtime: date,
  });
  zip.end();
  try {
    await pipeline(zip.outputStream as Readable, output, { signal });
  } catch (error) {
    throw failed ?? error;
  }
}
