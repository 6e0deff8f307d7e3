import { createHash, randomUUID } from "node:crypto";
import { chmod, mkdir, readdir, rm } from "node:fs/promises";
import { join } from "node:path";
import type { AudioLibrary } from "../../core/engine/library";
import { MissingAudio } from "../../core/engine/library";
import { WavReader } from "../../core/formats/wav/read";
import type { Reshape } from "../../core/session/clips";
import { reshapeKey } from "../../core/session/clips";
import { STRETCH_VERSION } from "../../core/stretch/stretcher";
import {
  adoptingFolder,
  audioFolder,
  checkpointFolder,
  instrumentFolder,
  packageFolder,
  reshapedFolder,
  savedFolder,
  unfinishedFolder,
  uploadFolder,
} from "../paths";
import { identityOf, isThere } from "../processes";
import type { KnownOf } from "./adopting";
import type { AudioFiles, SetAside } from "./audio-files";
import { AudioBucket, AudioFolder } from "./audio-files";
import type { Blobs } from "./blobs";
import { BucketBlobs, FolderBlobs } from "./blobs";
import type { Bucket } from "./bucket";
import { bucketOfEnvironment } from "./bucket";
import { BucketCache } from "./cache";
import { FileSource } from "./file-bytes";
import type { KeptFile } from "./files";
import { removeOlderThan, sha256OfFile } from "./files";
import { Orphans } from "./orphans";

/** The process that writes, in the names of unfinished files: no other process of this machine has the same. */
const WRITER = identityOf(process.pid) ?? { pid: process.pid, since: "0" };

/** Only the user that runs this can read the files. */
const PRIVATE = 0o700;

/** How long uploads and saved files stay: their job may still wait. */
const KEPT_MS = 24 * 3600 * 1000;
/** The ending of files of instruments in the store. */
const INSTRUMENT = ".sf2";
const FETCHED_AT_ONCE = 4;

/**
 * All files that are kept: audio by SHA-256, packages and saved files by the id of their job, uploads by an id of their
 * own. With a bucket, that keeps them, and the folders of this machine are its cache.
 */
export class AudioStore {
  readonly packages: Blobs;
  /** Files of instruments by SHA-256. */
  readonly instruments: Blobs;
  /** Files that were sent and are still to be imported. */
  readonly uploads: Blobs;
  /** Files that a job has made to be downloaded; kept for a day. */
  readonly saved: Blobs;
  /** Stretched and transposed audio: always on this machine, and made again if it is missing. */
  readonly reshaped: Blobs;

  private readonly folder: AudioFolder;
  private readonly audio: AudioFiles;
  private readonly orphans: Orphans;
  private readonly cache: BucketCache | null = null;
  /** Stores in the bucket what this machine has of audio and packages and the bucket has not. */
  readonly fillBucket: () => Promise<void> = () => Promise.resolve();

  constructor(
    private readonly root: string,
    private readonly bucket: Bucket | null = bucketOfEnvironment(),
    signal: AbortSignal | null = null,
  ) {
    const folders = {
      packages: packageFolder(root),
      instruments: instrumentFolder(root),
      uploads: uploadFolder(root),
      saved: savedFolder(root),
      reshaped: reshapedFolder(root),
    };
    this.folder = new AudioFolder(audioFolder(root), (name) =>
      name ? join(this.unfinishedFolder, name) : this.unfinished(),
    );
    this.orphans = new Orphans(adoptingFolder(root), WRITER, (hash) => this.path(hash), bucket === null);
    this.reshaped = new FolderBlobs(folders.reshaped, ".wav");
    if (bucket === null) {
      this.audio = this.folder;
      this.packages = new FolderBlobs(folders.packages, ".zip");
      this.instruments = new FolderBlobs(folders.instruments, INSTRUMENT);
      this.uploads = new FolderBlobs(folders.uploads);
      this.saved = new FolderBlobs(folders.saved);
      return;
    }
    const unfinished = () => this.unfinished();
    const cache = new BucketCache(bucket, [audioFolder(root), ...Object.values(folders)], unfinished, signal);
    const audio = new AudioBucket(bucket, cache, this.folder, unfinished);
    const packages = new BucketBlobs(bucket, cache, "packages/", folders.packages, ".zip");
    const instruments = new BucketBlobs(bucket, cache, "instruments/", folders.instruments, INSTRUMENT);
    this.cache = cache;
    this.audio = audio;
    this.packages = packages;
    this.instruments = instruments;
    this.uploads = new BucketBlobs(bucket, cache, "uploads/", folders.uploads);
    this.saved = new BucketBlobs(bucket, cache, "saved/", folders.saved);
    this.fillBucket = async () => {
      await audio.fill();
      await packages.fill();
      await instruments.fill();
    };
  }

  /** A view of the store that stops waiting when the signal aborts, and throws its reason. Fetches go on. */
  waitingUntil(signal: AbortSignal): AudioStore {
    return new AudioStore(this.root, this.bucket, signal);
  }

  /**
   * Creates the folders. With `sweep`, deletes what an earlier process left unfinished: only when no other process
   * writes.
   */
  async prepare(sweep: boolean): Promise<void> {
    if (sweep) await rm(this.unfinishedFolder, { recursive: true, force: true });
    // Another version may lay the state of its processors out otherwise.
    if (sweep) await rm(checkpointFolder(this.root), { recursive: true, force: true });
    for (const folder of [
      adoptingFolder(this.root),
      audioFolder(this.root),
      packageFolder(this.root),
      instrumentFolder(this.root),
      reshapedFolder(this.root),
      savedFolder(this.root),
      unfinishedFolder(this.root),
      uploadFolder(this.root),
    ]) {
      await mkdir(folder, { recursive: true, mode: PRIVATE });
      await chmod(folder, PRIVATE);
    }
    if (sweep) await removeOlderThan(KEPT_MS, uploadFolder(this.root));
    if (sweep) await this.sweepSaved();
  }

  /** Removes files that were saved more than a day ago. */
  async sweepSaved(): Promise<void> {
    await removeOlderThan(KEPT_MS, savedFolder(this.root));
  }

  /**
   * Deletes what processes that are no longer alive have left unfinished: every name begins with the process that
   * writes it.
   */
  async sweepDead(): Promise<void> {
    for (const name of await readdir(this.unfinishedFolder)) {
      const [, pid, since] = /^(\d+)-(\d+)-/.exec(name) ?? [];
      if (pid === undefined || since === undefined || isThere({ pid: Number(pid), since })) continue;
      // Checkpoints wait in a folder.
      await rm(join(this.unfinishedFolder, name), { recursive: true, force: true });
    }
  }

  get unfinishedFolder(): string {
    return unfinishedFolder(this.root);
  }

  /** A path for a file that is still being written. */
  unfinished(): string {
    return join(this.unfinishedFolder, `${WRITER.pid}-${WRITER.since}-${randomUUID()}`);
  }

  /** The path of audio on this disk. With a bucket, the file may not be there: see `audioHere`. */
  path(hash: string): string {
    return this.folder.path(hash);
  }

  /** The path of audio on this disk, fetched if need be. Throws `MissingAudio`. */
  async audioHere(hash: string): Promise<string> {
    // It may come from outside: nothing else is the name of a file here.
    if (!/^[0-9a-f]{64}$/.test(hash)) throw new MissingAudio(hash);
    return this.audio.local(hash);
  }

  /** Whether files are kept in a bucket, and fetched from there. */
  get isShared(): boolean {
    return this.bucket !== null;
  }

  /** Fetches audio that is to be read from this disk. Missing files are reported by the reader. */
  async makeLocal(hashes: readonly string[]): Promise<void> {
    if (!this.isShared) return;
    for (let at = 0; at < hashes.length; at += FETCHED_AT_ONCE)
      await Promise.all(
        hashes.slice(at, at + FETCHED_AT_ONCE).map((hash) =>
          this.audioHere(hash).catch((error: unknown) => {
            if (!(error instanceof MissingAudio)) throw error;
          }),
        ),
      );
  }

  touch(hash: string): Promise<boolean> {
    return this.audio.touch(hash);
  }

  has(hash: string): Promise<boolean> {
    return this.audio.has(hash);
  }

  everyAudio(): AsyncGenerator<KeptFile> {
    return this.audio.list();
  }

  setAside(hash: string, planned: Date): Promise<SetAside | null> {
    return this.audio.setAside(hash, planned);
  }

  isWhole(hash: string): Promise<boolean> {
    return this.audio.isWhole(hash);
  }

  /**
   * Takes a finished file over under its hash, which is computed when it is not given; returns the hash. The caller
   * calls `reapOrphans` after the database speaks of it, or will not.
   */
  async adopt(unfinished: string, sha256?: string): Promise<string> {
    const hash = sha256 ?? (await sha256OfFile(unfinished));
    // The note comes before the look at the file: a process that would remove the file looks for notes first.
    await this.orphans.expect(hash);
    await this.audio.put(hash, unfinished);
    return hash;
  }

  /** Removes orphaned audio that was stored through this: the database does not refer to it. */
  reapOrphans(knownOf: KnownOf): Promise<void> {
    return this.orphans.reap(knownOf);
  }

  /** The same for what processes have left that are no longer alive. */
  reapOrphansOfDead(knownOf: KnownOf): Promise<void> {
    return this.orphans.reapOfDead(knownOf);
  }

  /** Audio that a process is storing or has stored, which the database may not refer to yet. */
  beingAdopted(): Promise<ReadonlySet<string>> {
    return this.orphans.expected();
  }

  /** Aborts uploads into the bucket that were begun before a time and cut off. */
  async abandonParts(before: Date): Promise<void> {
    await this.bucket?.abandonParts(before);
  }

  /** Throws if the bucket does not answer; returns where it is. Null: there is none. */
  async checkBucket(): Promise<string | null> {
    await this.bucket?.check();
    return this.bucket?.name ?? null;
  }

  /** Keeps the cache of a bucket within its size. */
  async trim(): Promise<void> {
    await this.cache?.trim();
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
        const source = openSource(path, hash);
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
    return this.reshaped.path(reshapedName(reshape));
  }
}

/** The name of reshaped audio in `AudioStore.reshaped`. */
export const reshapedName = (reshape: Reshape): string =>
  createHash("sha256")
    .update(`${STRETCH_VERSION}/${reshapeKey(reshape)}`)
    .digest("hex");

function openSource(path: string, hash: string): FileSource {
  try {
    return new FileSource(path);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") throw new MissingAudio(hash);
    throw error;
  }
}
