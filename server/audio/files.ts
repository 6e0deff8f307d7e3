import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { mkdir, open, readdir, rename, rm, stat, utimes } from "node:fs/promises";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { FileSource } from "./file-bytes";

/** A file that the store keeps, by its name: a hash, or the id of what it was made by. */
export interface KeptFile {
  readonly name: string;
  readonly bytes: number;
  /** When it was put there, or touched last. */
  readonly changed: Date;
}

/** Whether anything stands at a path. */
export const isFile = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  );

/** Moves a file within a file system; false: it is not there. */
export const moves = (from: string, to: string): Promise<boolean> =>
  rename(from, to).then(
    () => true,
    () => false,
  );

/** Says that a file is in use, so that it is not tidied away; false where there is no file. */
export async function touched(path: string): Promise<boolean> {
  const now = new Date();
  return utimes(path, now, now).then(
    () => true,
    () => false,
  );
}

/** Every file of a folder and those in it; what goes while one looks is not there. */
export async function* filesOf(folder: string): AsyncGenerator<KeptFile & { readonly path: string }> {
  for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* filesOf(path);
    else {
      const found = await stat(path).catch(() => null);
      if (found) yield { name: entry.name, path, bytes: found.size, changed: found.mtime };
    }
  }
}

const HASH_BYTES = 1 << 20;
/** So few that they are still in the processor's cache when they are hashed. */
const HASH_BYTES_NOW = 1 << 17;

export async function sha256OfFile(path: string): Promise<string> {
  const hash = createHash("sha256");
  await pipeline(createReadStream(path, { highWaterMark: HASH_BYTES }), hash);
  return hash.digest("hex");
}

/** The same, holding up the thread: for those that have nothing else to do. */
export function sha256OfFileNow(path: string): string {
  const hash = createHash("sha256");
  const source = new FileSource(path);
  try {
    const part = new Uint8Array(HASH_BYTES_NOW);
    for (let at = 0; at < source.size; at += part.length) {
      const bytes = part.subarray(0, Math.min(part.length, source.size - at));
      source.read(at, bytes);
      hash.update(bytes);
    }
    return hash.digest("hex");
  } finally {
    source.close();
  }
}

/**
 * Puts a finished file in its place: its bytes are on the disk before its name is, and its name is when this returns.
 */
export async function moveIntoPlace(from: string, to: string): Promise<void> {
  const folder = join(to, "..");
  await mkdir(folder, { recursive: true });
  await synced(from);
  await rename(from, to);
  await synced(folder);
}

async function synced(path: string): Promise<void> {
  const handle = await open(path, "r");
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Removes the files of a folder that nothing has changed for so long. */
export async function removeOlderThan(ageMs: number, folder: string): Promise<void> {
  for (const name of await readdir(folder)) {
    const path = join(folder, name);
    const found = await stat(path).catch(() => null);
    if (found && Date.now() - found.mtimeMs > ageMs) await rm(path, { force: true });
  }
}
