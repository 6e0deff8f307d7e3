import { rm } from "node:fs/promises";
import { join } from "node:path";
import type { Bucket } from "./bucket";
import type { BucketCache } from "./cache";
import type { KeptFile } from "./files";
import { filesOf, isFile, moveIntoPlace, sha256OfFile } from "./files";

/** Files of one kind, each with a name of its own. A file is whole or not there. */
export interface Blobs {
  has(name: string): Promise<boolean>;
  /** Whether it is on this disk. */
  isHere(name: string): Promise<boolean>;
  /** Takes a finished file over. */
  put(name: string, unfinished: string): Promise<void>;
  /** The path of a file on this disk, fetched if need be. If the file is gone, nothing is at that path. */
  local(name: string): Promise<string>;
  /** The path that `local` answers with, without fetching. */
  path(name: string): string;
  list(): AsyncGenerator<KeptFile>;
  remove(names: readonly string[]): Promise<void>;
}

/** Files of a folder. */
export class FolderBlobs implements Blobs {
  constructor(
    private readonly folder: string,
    private readonly ending = "",
  ) {}

  path(name: string): string {
    return join(this.folder, name + this.ending);
  }

  has(name: string): Promise<boolean> {
    return isFile(this.path(name));
  }

  isHere(name: string): Promise<boolean> {
    return this.has(name);
  }

  put(name: string, unfinished: string): Promise<void> {
    return moveIntoPlace(unfinished, this.path(name));
  }

  local(name: string): Promise<string> {
    return Promise.resolve(this.path(name));
  }

  async *list(): AsyncGenerator<KeptFile> {
    for await (const file of filesOf(this.folder))
      if (file.name.endsWith(this.ending)) yield { ...file, name: withoutEnding(file.name, this.ending) };
  }

  async remove(names: readonly string[]): Promise<void> {
    await Promise.all(names.map((name) => rm(this.path(name), { force: true })));
  }
}

/** Files of a bucket, with a folder of this machine as their cache. */
export class BucketBlobs implements Blobs {
  private readonly folder: FolderBlobs;

  constructor(
    private readonly bucket: Bucket,
    private readonly cache: BucketCache,
    /** Ends with a slash. */
    private readonly prefix: string,
    folder: string,
    private readonly ending = "",
  ) {
    this.folder = new FolderBlobs(folder, ending);
  }

  path(name: string): string {
    return this.folder.path(name);
  }

  has(name: string): Promise<boolean> {
    return this.bucket.has(this.key(name));
  }

  isHere(name: string): Promise<boolean> {
    return this.cache.has(this.path(name));
  }

  async put(name: string, unfinished: string): Promise<void> {
    await this.bucket.put(this.key(name), unfinished, await sha256OfFile(unfinished));
    await this.folder.put(name, unfinished);
  }

  async local(name: string): Promise<string> {
    const path = this.path(name);
    await this.cache.fetch(path, () => Promise.resolve(this.key(name)));
    return path;
  }

  async *list(): AsyncGenerator<KeptFile> {
    for await (const { key, bytes, changed } of this.bucket.list(this.prefix))
      yield { name: withoutEnding(key.slice(this.prefix.length), this.ending), bytes, changed };
  }

  async remove(names: readonly string[]): Promise<void> {
    await this.bucket.remove(names.map((name) => this.key(name)));
    await this.folder.remove(names);
  }

  /** Stores what the folder has and the bucket has not. */
  async fill(): Promise<void> {
    for await (const { name } of this.folder.list())
      if (!(await this.has(name)))
        await this.bucket.put(this.key(name), this.path(name), await sha256OfFile(this.path(name)));
  }

  private key(name: string): string {
    return this.prefix + name + this.ending;
  }
}

const withoutEnding = (name: string, ending: string): string => name.slice(0, name.length - ending.length);
