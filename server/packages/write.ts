import { createHash } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import { Readable, Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { ZipFile } from "yazl";
import type { Manifest } from "../../core/stems/manifest";

export interface PackedFile {
  readonly path: string;
  /** Inside the package's folder. */
  readonly name: string;
  readonly bytes: number;
}

/**
 * Streams files into one ZIP, stored as they are; each is hashed while it passes, and the manifest, which holds
 * the hashes, is written last.
 */
export async function writePackage(
  zipPath: string,
  files: readonly PackedFile[],
  manifest: (sha256: ReadonlyMap<string, string>) => Manifest,
  { date, signal, onBytes }: { readonly date: Date; readonly signal: AbortSignal; readonly onBytes: (done: number) => void },
): Promise<Manifest> {
  const zip = new ZipFile();
  const hashes = new Map<string, string>();
  const folder = manifest(hashes).folder;
  let done = 0;
  let failed: unknown = null;
  for (const file of files) {
    zip.addReadStreamLazy(`${folder}/${file.name}`, { compress: false, mtime: date, size: file.bytes }, (give) => {
      const hash = createHash("sha256");
      const passing = new Transform({
        transform(chunk: Buffer, _encoding, next) {
          hash.update(chunk);
          done += chunk.length;
          onBytes(done);
          next(null, chunk);
        },
        flush(next) {
          hashes.set(file.name, hash.digest("hex"));
          next();
        },
      });
      give(null, createReadStream(file.path, { highWaterMark: 1 << 20 }).on("error", (e) => passing.destroy(e)).pipe(passing));
    });
  }
  let written: Manifest | null = null;
  zip.addReadStreamLazy(`${folder}/manifest.json`, { compress: true, mtime: date }, (give) => {
    written = manifest(hashes);
    give(null, Readable.from([JSON.stringify(written, null, 2)]));
  });
  const output = createWriteStream(zipPath, { flags: "wx", flush: true });
  zip.on("error", (error: unknown) => {
    failed = error;
    output.destroy();
  });
  zip.end();
  try {
    await pipeline(zip.outputStream as Readable, output, { signal });
  } catch (error) {
    throw failed ?? error;
  }
  if (!written) throw new Error("the package was closed before its manifest was written");
  return written;
}
