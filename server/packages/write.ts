import { createHash } from "node:crypto";
import type { Paper } from "../../core/papers/papers";
import type { Manifest } from "../../core/delivery/manifest";
import { hashList } from "../../core/delivery/manifest";
import { HASH_LIST_NAME, MANIFEST_NAME } from "../../core/delivery/package-names";
import type { Stored } from "./zip";
import { ZipWriter } from "./zip";

/** Where a file's bytes are, and its name inside the package's folder. */
export interface PackedFile extends Stored {
  readonly name: string;
}

/** A manifest that is whole only when the files have been packed. */
export interface LateManifest {
  readonly folder: string;
  readonly late: Promise<Manifest>;
}

/**
 * Streams files into one ZIP, stored as they are, and beside them the papers, the manifest and the list of hashes.
 * `onBytes` is told how many of the files' bytes are written. What it leaves when it fails is for the caller to remove.
 */
export async function writePackage(
  zipPath: string,
  files: readonly PackedFile[],
  papers: readonly Pick<Paper, "name" | "bytes">[],
  manifest: Manifest | LateManifest,
  {
    date,
    signal,
    onBytes,
  }: { readonly date: Date; readonly signal: AbortSignal; readonly onBytes: (done: number) => void },
): Promise<void> {
  const zip = await ZipWriter.create(zipPath, date);
  const within = (name: string) => `${manifest.folder}/${name}`;
  let done = 0;
  try {
    for (const { name, ...stored } of files) {
      await zip.addFile(within(name), stored, (more) => {
        signal.throwIfAborted();
        done += more;
        onBytes(done);
      });
    }
    signal.throwIfAborted();
    for (const { name, bytes } of papers) await zip.addBytes(within(name), bytes);
    const whole = "late" in manifest ? await manifest.late : manifest;
    const text = Buffer.from(JSON.stringify(whole, null, 2));
    const digest = createHash("sha256").update(text).digest("hex");
    await zip.addBytes(within(MANIFEST_NAME), text);
    await zip.addBytes(within(HASH_LIST_NAME), Buffer.from(hashList(whole, digest)));
    await zip.finish();
  } catch (error) {
    await zip.abandon();
    throw error;
  }
}
