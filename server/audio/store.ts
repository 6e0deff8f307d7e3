import { createHash, randomUUID } from "node:crypto";
import { createReadStream } from "node:fs";
import { chmod, mkdir, open, readdir, rename, rm, stat, utimes } from "node:fs/promises";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import type { AudioLibrary } from "../../core/engine/library";
import { MissingAudio } from "../../core/engine/library";
import { WavReader } from "../../core/formats/wav/read";
import type { Reshape } from "../../core/session/clips";
import { reshapeKey } from "../../core/session/clips";
import { STRETCH_VERSION } from "../../core/stretch/stretcher";
import { audioFolder, packageFolder, reshapedFolder, savedFolder, unfinishedFolder, uploadFolder } from "../paths";
import { FileSource } from "./file-bytes";

function isAlive(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch (error) {
    // Somebody else's process is alive, too.
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}

/** Nobody but whoever runs this reads what is kept. */
const PRIVATE = 0o700;

const KEPT_MS = 24 * 3600 * 1000;

async function sweepOld(folder: string): Promise<void> {
  for (const name of await readdir(folder)) {
    const path = join(folder, name);
    const found = await stat(path).catch(() => null);
    if (found && Date.now() - found.mtimeMs > KEPT_MS) await rm(path, { force: true });
  }
}

/** Audio files by SHA-256 of their bytes, and finished packages by id. A file is either whole or not there. */
export class AudioStore {
  constructor(private readonly root: string) {}

  /**
   * Creates the folders. With `sweep`, deletes what an earlier process left unfinished: only when no other process
   * writes.
   */
  async prepare(sweep: boolean): Promise<void> {
    if (sweep) await rm(unfinishedFolder(this.root), { recursive: true, force: true });
    for (const folder of [
      audioFolder(this.root),
      packageFolder(this.root),
      reshapedFolder(this.root),
      savedFolder(this.root),
      unfinishedFolder(this.root),
      uploadFolder(this.root),
    ]) {
      await mkdir(folder, { recursive: true, mode: PRIVATE });
      await chmod(folder, PRIVATE);
    }
    // Files that were sent and never brought in: kept for a day, in case their job still waits.
    if (sweep) await sweepOld(uploadFolder(this.root));
    if (sweep) await this.sweepSaved();
  }

  /** Files that were saved more than a day ago. */
  async sweepSaved(): Promise<void> {
    await sweepOld(savedFolder(this.root));
  }

  /**
   * Deletes what processes that are no longer alive have left unfinished: every name begins with the process that
   * writes it.
   */
  async sweepDead(): Promise<void> {
    const folder = unfinishedFolder(this.root);
    for (const name of await readdir(folder)) {
      const pid = Number.parseInt(name, 10);
      if (Number.isInteger(pid) && !isAlive(pid)) await rm(join(folder, name), { force: true });
    }
  }

  get unfinishedFolder(): string {
    return unfinishedFolder(this.root);
  }

  /** A path for a file that is still being written. */
  unfinished(): string {
    return join(unfinishedFolder(this.root), `${process.pid}-${randomUUID()}`);
  }

  uploadPath(id: string): string {
    return join(uploadFolder(this.root), id);
  }

  path(hash: string): string {
    return join(audioFolder(this.root), hash.slice(0, 2), `${hash}.wav`);
  }

  packagePath(id: string): string {
    return join(packageFolder(this.root), `${id}.zip`);
  }

  async has(hash: string): Promise<boolean> {
    return stat(this.path(hash)).then(
      () => true,
      () => false,
    );
  }

  /**
   * Says that a file is about to be referred to: what is touched is not tidied away for days. Answers with whether it
   * is there.
   */
  async touch(hash: string): Promise<boolean> {
    const now = new Date();
    return utimes(this.path(hash), now, now).then(
      () => true,
      () => false,
    );
  }

  /** Takes a finished file over under its hash, which is found when it is not given; returns the hash. */
  async adopt(unfinished: string, sha256?: string): Promise<string> {
    const hash = sha256 ?? (await sha256OfFile(unfinished));
    const target = this.path(hash);
    if (await this.touch(hash)) await rm(unfinished, { force: true });
    else await settle(unfinished, target);
    return hash;
  }

  async adoptPackage(unfinished: string, id: string): Promise<void> {
    await settle(unfinished, this.packagePath(id));
  }

  /** Where the file stands that a job of saving has made. */
  savedPath(job: string): string {
    return join(savedFolder(this.root), job);
  }

  hasSaved(job: string): Promise<boolean> {
    return stat(this.savedPath(job)).then(
      () => true,
      () => false,
    );
  }

  async adoptSaved(unfinished: string, job: string): Promise<void> {
    await settle(unfinished, this.savedPath(job));
  }

  /** Opens assets for a render; `close` lets go of the files. */
  library(): { readonly find: AudioLibrary; close(): void } {
    const sources: FileSource[] = [];
    const open = new Map<string, WavReader>();
    return {
      find: (hash, reshape = null) => {
        const path = reshape ? this.reshapedPath(reshape) : this.path(hash);
        // A session has thousands of clips of a few files: what stands in a file's head is read once.
        const known = open.get(path);
        if (known) return known.again();
        const source = this.openSource(path, hash);
        sources.push(source);
        const reader = WavReader.open(source);
        open.set(path, reader);
        return reader.again();
      },
      close: () => {
        for (const source of sources) source.close();
        sources.length = 0;
        open.clear();
      },
    };
  }

  /** Where an asset is kept as reshaped; made by `prepareReshaped`. */
  reshapedPath(reshape: Reshape): string {
    const name = createHash("sha256")
      .update(`${STRETCH_VERSION}/${reshapeKey(reshape)}`)
      .digest("hex");
    return join(reshapedFolder(this.root), `${name}.wav`);
  }

  private openSource(path: string, hash: string): FileSource {
    try {
      return new FileSource(path);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === "ENOENT") throw new MissingAudio(hash);
      throw error;
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
export async function settle(from: string, to: string): Promise<void> {
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
