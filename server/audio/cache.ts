import { stat, rm } from "node:fs/promises";
import { untilAborted } from "./abort";
import type { Bucket } from "./bucket";
import type { KeptFile } from "./files";
import { filesOf, moveIntoPlace, touched } from "./files";

/** What was needed within this time stays on the machine, even if the cache is larger than it may be. */
const IN_USE_MS = 3600 * 1000;
const TRIM_EVERY_MS = 60_000;
const CACHE_GB = 20;

/** Fetches that run, by the path of the file: two requests for one file fetch it once. */
const fetching = new Map<string, Promise<boolean>>();
let trimmedAt = -Infinity;

/** The folders of this machine as a cache of a bucket: what was read lately is on the disk. */
export class BucketCache {
  constructor(
    private readonly bucket: Bucket,
    /** All folders that count towards the size of the cache. */
    private readonly folders: readonly string[],
    /** A new path for a file that is still being written. */
    private readonly unfinished: () => string,
    /** Ends the wait of this caller; the fetch itself goes on. */
    private readonly signal: AbortSignal | null,
  ) {}

  /** Whether a file is on this machine; then it counts as in use. */
  async has(path: string): Promise<boolean> {
    const found = await stat(path).catch(() => null);
    if (found && Date.now() - found.mtimeMs > IN_USE_MS / 10) await touched(path);
    return found !== null;
  }

  /** Fetches the object with a key to a path, unless it is there; false: there is no such object. */
  async fetch(path: string, keyOf: () => Promise<string | null>): Promise<boolean> {
    if (await this.has(path)) return true;
    const fetched = fetching.get(path) ?? this.begin(path, keyOf);
    return this.signal ? untilAborted(fetched, this.signal) : fetched;
  }

  /** Removes the files that were not needed for longest while the cache is larger than STEMZO_CACHE_GB. */
  async trim(): Promise<void> {
    const most = Number(process.env["STEMZO_CACHE_GB"] ?? CACHE_GB) * 1e9;
    const files: (KeptFile & { readonly path: string })[] = [];
    for (const folder of this.folders) for await (const file of filesOf(folder)) files.push(file);
    let bytes = files.reduce((n, f) => n + f.bytes, 0);
    for (const { path, bytes: own, changed } of files.sort((a, b) => a.changed.getTime() - b.changed.getTime())) {
      if (bytes <= most || Date.now() - changed.getTime() < IN_USE_MS) return;
      await rm(path, { force: true });
      bytes -= own;
    }
  }

  private begin(path: string, keyOf: () => Promise<string | null>): Promise<boolean> {
    const begun = this.download(path, keyOf).finally(() => fetching.delete(path));
    fetching.set(path, begun);
    return begun;
  }

  private async download(path: string, keyOf: () => Promise<string | null>): Promise<boolean> {
    const key = await keyOf();
    if (key === null) return false;
    if (performance.now() - trimmedAt > TRIM_EVERY_MS) {
      trimmedAt = performance.now();
      await this.trim();
    }
    const unfinished = this.unfinished();
    try {
      if (!(await this.bucket.get(key, unfinished))) return false;
      await moveIntoPlace(unfinished, path);
      return true;
    } finally {
      await rm(unfinished, { force: true });
    }
  }
}
