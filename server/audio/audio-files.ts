import { randomUUID } from "node:crypto";
import { rename, rm, stat } from "node:fs/promises";
import { join } from "node:path";
import { MissingAudio } from "../../core/engine/library";
import type { Bucket, StoredObject } from "./bucket";
import { DamagedObject } from "./bucket";
import type { BucketCache } from "./cache";
import type { KeptFile } from "./files";
import { filesOf, isFile, moveIntoPlace, moves, sha256OfFile, touched } from "./files";

/** Audio that is about to be removed; see `AudioFiles.setAside`. */
export interface SetAside {
  /** Removes it, after everything that refers to it is gone. */
  remove(): Promise<void>;
  /** Undoes it: something refers to it after all. */
  putBack(): Promise<void>;
}

/** Audio by the SHA-256 of its bytes. A file is whole or not there. */
export interface AudioFiles {
  has(hash: string): Promise<boolean>;
  /**
   * Says that a file is about to be referred to: tidying leaves it alone for days. Answers with whether it is there.
   */
  touch(hash: string): Promise<boolean>;
  /** Takes a finished file over. */
  put(hash: string, unfinished: string): Promise<void>;
  /** The path of a file on this disk, fetched if need be. Throws `MissingAudio`. */
  local(hash: string): Promise<string>;
  /** Every file; of one that a bucket has several times, each. */
  list(): AsyncGenerator<KeptFile>;
  /** Whether a file has the bytes that its name says. */
  isWhole(hash: string): Promise<boolean>;
  /**
   * Takes a file out of its place, to be removed or put back; null if it was touched since `planned`: then it stays.
   */
  setAside(hash: string, planned: Date): Promise<SetAside | null>;
}

/** Audio in a folder of this machine. */
export class AudioFolder implements AudioFiles {
  constructor(
    private readonly folder: string,
    /** A path for a file that is still being written, or is about to be removed. */
    private readonly unfinished: (name?: string) => string,
  ) {}

  path(hash: string): string {
    return join(this.folder, hash.slice(0, 2), `${hash}.wav`);
  }

  has(hash: string): Promise<boolean> {
    return isFile(this.path(hash));
  }

  touch(hash: string): Promise<boolean> {
    return touched(this.path(hash));
  }

  async put(hash: string, unfinished: string): Promise<void> {
    if (await this.touch(hash)) await rm(unfinished, { force: true });
    else await moveIntoPlace(unfinished, this.path(hash));
  }

  local(hash: string): Promise<string> {
    return Promise.resolve(this.path(hash));
  }

  async *list(): AsyncGenerator<KeptFile & { readonly path: string }> {
    for await (const { name, path, bytes, changed } of filesOf(this.folder)) {
      const [, hash] = /^([0-9a-f]{64})\.wav$/.exec(name) ?? [];
      if (hash !== undefined && path === this.path(hash)) yield { name: hash, path, bytes, changed };
    }
  }

  async isWhole(hash: string): Promise<boolean> {
    return (await sha256OfFile(this.path(hash))) === hash;
  }

  async setAside(hash: string, planned: Date): Promise<SetAside | null> {
    const [from, to] = [this.path(hash), this.unfinished(`tidied-${hash}`)];
    const moved = await moves(from, to);
    const aside: SetAside = {
      remove: () => rm(to, { force: true }),
      putBack: () => rename(to, from).catch(() => undefined),
    };
    // Read after the move: no process can touch the file any more. A file that is gone leaves a row without references.
    if (!moved || (await stat(to)).mtime < planned) return aside;
    await aside.putBack();
    return null;
  }
}

/**
 * An object this young is never removed: tidying removes none younger than a week, within an hour of its plan. An older
 * one is copied before anything refers to it.
 */
const YOUNG_MS = 3 * 24 * 3600 * 1000;
const keyOf = (hash: string): string => `audio/${hash}/${randomUUID()}`;

/**
 * Audio in a bucket, for any number of machines, with a folder as cache. Every stored file has a key of its own,
 * `audio/HASH/ID`, also when its audio is stored again. An object never changes, so removing one never removes what
 * another process has just stored.
 */
export class AudioBucket implements AudioFiles {
  constructor(
    private readonly bucket: Bucket,
    private readonly cache: BucketCache,
    private readonly folder: AudioFolder,
    private readonly unfinished: () => string,
  ) {}

  async has(hash: string): Promise<boolean> {
    return (await this.copies(hash)).length > 0;
  }

  async touch(hash: string): Promise<boolean> {
    const newest = (await this.copies(hash)).at(-1);
    if (!newest) return false;
    return Date.now() - newest.changed.getTime() < YOUNG_MS || this.bucket.copy(newest, keyOf(hash));
  }

  async put(hash: string, unfinished: string): Promise<void> {
    if (!(await this.touch(hash))) await this.bucket.put(keyOf(hash), unfinished, hash);
    await this.folder.put(hash, unfinished);
  }

  async local(hash: string): Promise<string> {
    const path = this.folder.path(hash);
    const newest = async () => (await this.copies(hash)).at(-1)?.key ?? null;
    if (!(await this.cache.fetch(path, newest))) throw new MissingAudio(hash);
    return path;
  }

  async *list(): AsyncGenerator<KeptFile> {
    for await (const { key, bytes, changed } of this.bucket.list("audio/"))
      yield { name: key.split("/")[1] ?? "", bytes, changed };
  }

  async isWhole(hash: string): Promise<boolean> {
    const [copy] = await this.copies(hash);
    const unfinished = this.unfinished();
    try {
      return (
        copy !== undefined && (await this.bucket.get(copy.key, unfinished)) && (await sha256OfFile(unfinished)) === hash
      );
    } catch (error) {
      if (error instanceof DamagedObject) return false;
      throw error;
    } finally {
      await rm(unfinished, { force: true });
    }
  }

  async setAside(hash: string, planned: Date): Promise<SetAside | null> {
    const copies = await this.copies(hash);
    if (copies.some((c) => c.changed >= planned)) return null;
    // If it is stored again meanwhile, that object has another key.
    return { remove: () => this.bucket.remove(copies.map((c) => c.key)), putBack: () => Promise.resolve() };
  }

  /** Stores what the folder has and the bucket has not. */
  async fill(): Promise<void> {
    for await (const { name, path } of this.folder.list())
      if (!(await this.touch(name))) await this.bucket.put(keyOf(name), path, name);
  }

  /** Objects with the bytes of a file, the newest last. */
  private async copies(hash: string): Promise<readonly StoredObject[]> {
    const found: StoredObject[] = [];
    for await (const object of this.bucket.list(`audio/${hash}/`)) found.push(object);
    return found.sort((a, b) => a.changed.getTime() - b.changed.getTime());
  }
}
