/* eslint-disable max-lines -- every kind of file that is kept, here and in a bucket, behind one class */
import { createHash, randomUUID } from "node:crypto";
import { chmod, mkdir, readdir, rename, rm, stat } from "node:fs/promises";
import { join } from "node:path";
import type { AudioLibrary } from "../../core/engine/library";
import { MissingAudio } from "../../core/engine/library";
import { WavReader } from "../../core/formats/wav/read";
import type { Reshape } from "../../core/session/clips";
import { reshapeKey } from "../../core/session/clips";
import { STRETCH_VERSION } from "../../core/stretch/stretcher";
import { identityOf, isThere } from "../processes";
import {
  adoptingFolder,
  audioFolder,
  packageFolder,
  reshapedFolder,
  savedFolder,
  unfinishedFolder,
  uploadFolder,
} from "../paths";
import type { KnownOf, Note } from "./adopting";
import { asideOf, note, notesOf, ofDead } from "./adopting";
import type { Bucket, StoredObject } from "./bucket";
import { DamagedObject, bucketOfEnvironment } from "./bucket";
import { FileSource } from "./file-bytes";
import type { KeptFile } from "./files";
import { filesOf, isFile, moveIntoPlace, removeOlderThan, sha256OfFile, touched } from "./files";

/** Who writes, in the names of what is not finished: a process of this machine, as no other can be taken for it. */
const WRITER = identityOf(process.pid) ?? { pid: process.pid, since: "0" };

/** Only the user that runs this can read the files. */
const PRIVATE = 0o700;

/** Files that were sent and never brought in, and those made to be taken away: in case their job still waits. */
const KEPT_MS = 24 * 3600 * 1000;
const FETCHED_AT_ONCE = 4;
/** How often audio that two give up at the same time is looked at again. */
const GIVE_UP_TRIES = 8;
const audioKey = (hash: string): string => `audio/${hash}/${randomUUID()}`;
const packageKey = (id: string): string => `packages/${id}.zip`;
const uploadKey = (id: string): string => `uploads/${id}`;
const savedKey = (job: string): string => `saved/${job}`;

/** Audio that is about to be removed; see `AudioStore.setAside`. */
export interface SetAside {
  /** It is removed after all that speaks of it is. */
  remove(): Promise<void>;
  /** Something speaks of it after all. */
  putBack(): Promise<void>;
}

/**
 * An object this young is never removed: tidying removes none younger than a week, and what it
 * plans it does within the hour. One that is older is copied before anybody relies on it.
 */
const YOUNG_MS = 3 * 24 * 3600 * 1000;
/** What was needed within so long stays on the machine, even where that takes more room than it may. */
const IN_USE_MS = 3600 * 1000;
const TRIM_EVERY_MS = 60_000;
const CACHE_GB = 20;

/** Moves a file; false: it is not there. */
const moves = (from: string, to: string): Promise<boolean> =>
  rename(from, to).then(
    () => true,
    () => false,
  );

/** What is being fetched, by where it is to be: asked for twice, it is fetched once. */
const fetching = new Map<string, Promise<boolean>>();
let trimmedAt = -Infinity;

/**
 * Audio files by SHA-256 of their bytes, and finished packages by id. A file is either whole or not there.
 *
 * With a bucket, that keeps them, for any number of machines, and the folders of this one are what it has read lately.
 * There every stored file has a key of its own, `audio/HASH/ID`, also when its audio is stored again. An object never
 * changes, and removing one never removes what another process has just stored.
 */
export class AudioStore {
  /** Of what was stored through this, and is not settled. */
  private notes: Note[] = [];

  constructor(
    private readonly root: string,
    private readonly bucket: Bucket | null = bucketOfEnvironment(),
    private readonly patience: AbortSignal | null = null,
  ) {}

  /**
   * A view of the store that stops waiting when the signal aborts, and throws its reason. Transfers on the way end by
   * themselves.
   */
  waitingUntil(signal: AbortSignal): AudioStore {
    return new AudioStore(this.root, this.bucket, signal);
  }

  /**
   * Creates the folders. With `sweep`, deletes what an earlier process left unfinished: only when no other process
   * writes.
   */
  async prepare(sweep: boolean): Promise<void> {
    if (sweep) await rm(unfinishedFolder(this.root), { recursive: true, force: true });
    for (const folder of [
      adoptingFolder(this.root),
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
    if (sweep) await removeOlderThan(KEPT_MS, uploadFolder(this.root));
    if (sweep) await this.sweepSaved();
  }

  /** Files that were saved more than a day ago. */
  async sweepSaved(): Promise<void> {
    await removeOlderThan(KEPT_MS, savedFolder(this.root));
  }

  /**
   * Deletes what processes that are no longer alive have left unfinished: every name begins with the process that
   * writes it.
   */
  async sweepDead(): Promise<void> {
    const folder = unfinishedFolder(this.root);
    for (const name of await readdir(folder)) {
      const [, pid, since] = /^(\d+)-(\d+)-/.exec(name) ?? [];
      if (pid === undefined || since === undefined || isThere({ pid: Number(pid), since })) continue;
      await rm(join(folder, name), { force: true });
    }
  }

  get unfinishedFolder(): string {
    return unfinishedFolder(this.root);
  }

  /** A path for a file that is still being written. */
  unfinished(): string {
    return join(unfinishedFolder(this.root), `${WRITER.pid}-${WRITER.since}-${randomUUID()}`);
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

  /** Where audio stands on this machine, brought here where it is not. Throws `MissingAudio`. */
  async audioHere(hash: string): Promise<string> {
    // It may come from outside: nothing else is the name of a file here.
    if (!/^[0-9a-f]{64}$/.test(hash)) throw new MissingAudio(hash);
    const path = this.path(hash);
    if (this.bucket === null || (await this.used(path))) return path;
    if (!(await this.fetched(path, async () => (await this.copies(hash)).at(-1)?.key ?? null)))
      throw new MissingAudio(hash);
    return path;
  }

  /** Whether files are kept in a bucket, and brought from there. */
  get isShared(): boolean {
    return this.bucket !== null;
  }

  /** Fetches audio that is to be read from this disk. Missing files are reported by the reader. */
  async makeLocal(hashes: readonly string[]): Promise<void> {
    if (this.bucket === null) return;
    for (let at = 0; at < hashes.length; at += FETCHED_AT_ONCE)
      await Promise.all(
        hashes.slice(at, at + FETCHED_AT_ONCE).map((hash) =>
          this.audioHere(hash).catch((error: unknown) => {
            if (!(error instanceof MissingAudio)) throw error;
          }),
        ),
      );
  }

  /** Where a package stands on this machine; at that place is nothing where it is gone. */
  async packageHere(id: string): Promise<string> {
    const path = this.packagePath(id);
    if (!(await this.used(path))) await this.fetched(path, () => Promise.resolve(packageKey(id)));
    return path;
  }

  async uploadHere(id: string): Promise<string> {
    const path = this.uploadPath(id);
    if (!(await this.used(path))) await this.fetched(path, () => Promise.resolve(uploadKey(id)));
    return path;
  }

  async savedHere(job: string): Promise<string> {
    const path = this.savedPath(job);
    if (!(await this.used(path))) await this.fetched(path, () => Promise.resolve(savedKey(job)));
    return path;
  }

  hasPackage(id: string): Promise<boolean> {
    return this.bucket?.has(packageKey(id)) ?? isFile(this.packagePath(id));
  }

  hasUpload(id: string): Promise<boolean> {
    return this.bucket?.has(uploadKey(id)) ?? isFile(this.uploadPath(id));
  }

  /**
   * Says that a file is about to be referred to: what is touched is not tidied away for days. Answers with whether it
   * is there.
   */
  async touch(hash: string): Promise<boolean> {
    const newest = this.bucket && (await this.copies(hash)).at(-1);
    if (this.bucket) {
      if (!newest) return false;
      return Date.now() - newest.changed.getTime() < YOUNG_MS || this.bucket.copy(newest, audioKey(hash));
    }
    return touched(this.path(hash));
  }

  /**
   * Takes a finished file over under its hash, which is computed when it is not given; returns the hash. The caller
   * calls `reapOrphans` after the database speaks of it, or will not.
   */
  async adopt(unfinished: string, sha256?: string): Promise<string> {
    const hash = sha256 ?? (await sha256OfFile(unfinished));
    // The note comes before the look at the file: a process that would remove the file looks for notes first.
    this.notes.push(await note(adoptingFolder(this.root), WRITER, hash));
    const target = this.path(hash);
    if (this.bucket && !(await this.touch(hash))) await this.bucket.put(audioKey(hash), unfinished, hash);
    if (await touched(target)) await rm(unfinished, { force: true });
    else await moveIntoPlace(unfinished, target);
    return hash;
  }

  /** Removes orphaned audio that was stored through this: the database does not refer to it. */
  async reapOrphans(knownOf: KnownOf): Promise<void> {
    const notes = this.notes;
    this.notes = [];
    await this.settled(notes, knownOf);
  }

  /** The same for what processes have left that are no longer alive. */
  async reapOrphansOfDead(knownOf: KnownOf): Promise<void> {
    await this.settled(ofDead(await notesOf(adoptingFolder(this.root))), knownOf);
  }

  /** Audio that a process is storing or has stored, which the database may not refer to yet. */
  async beingAdopted(): Promise<ReadonlySet<string>> {
    return new Set((await notesOf(adoptingFolder(this.root))).map((n) => n.hash));
  }

  async adoptPackage(unfinished: string, id: string): Promise<void> {
    await this.adopted(unfinished, packageKey(id), this.packagePath(id));
  }

  async adoptUpload(unfinished: string, id: string): Promise<void> {
    await this.adopted(unfinished, uploadKey(id), this.uploadPath(id));
  }

  /** Removes files that were sent and have been brought in. */
  async dropUploads(ids: readonly string[]): Promise<void> {
    await this.bucket?.remove(ids.map(uploadKey));
    await Promise.all(ids.map((id) => rm(this.uploadPath(id), { force: true })));
  }

  /** Where the file stands that a job of saving has made. */
  savedPath(job: string): string {
    return join(savedFolder(this.root), job);
  }

  async adoptSaved(unfinished: string, job: string): Promise<void> {
    await this.adopted(unfinished, savedKey(job), this.savedPath(job));
  }

  async has(hash: string): Promise<boolean> {
    return this.bucket ? (await this.copies(hash)).length > 0 : isFile(this.path(hash));
  }

  /** Every file of audio; of one that the bucket has several times, each. */
  async *everyAudio(): AsyncGenerator<KeptFile> {
    if (this.bucket) {
      for await (const { key, bytes, changed } of this.bucket.list("audio/"))
        yield { name: key.split("/")[1] ?? "", bytes, changed };
      return;
    }
    const folder = audioFolder(this.root);
    for await (const { name, path, bytes, changed } of filesOf(folder)) {
      const [, hash] = /^([0-9a-f]{64})\.wav$/.exec(name) ?? [];
      if (hash !== undefined && path === this.path(hash)) yield { name: hash, bytes, changed };
    }
  }

  /** Every package, by its file's name. */
  everyPackage(): AsyncGenerator<KeptFile> {
    return this.every("packages/", packageFolder(this.root));
  }

  everyUpload(): AsyncGenerator<KeptFile> {
    return this.every("uploads/", uploadFolder(this.root));
  }

  everySaved(): AsyncGenerator<KeptFile> {
    return this.every("saved/", savedFolder(this.root));
  }

  /** What this machine has made of audio, and makes again where it is missing. */
  everyReshaped(): AsyncGenerator<KeptFile> {
    return filesOf(reshapedFolder(this.root));
  }

  /**
   * Takes audio out of its place, for good once what speaks of it is gone; null if it was touched since
   * `planned`, who is about to refer to it: then it stays.
   */
  async setAside(hash: string, planned: Date): Promise<SetAside | null> {
    if (this.bucket) {
      const copies = await this.copies(hash);
      if (copies.some((c) => c.changed >= planned)) return null;
      const keys = copies.map((c) => c.key);
      // If it is stored again meanwhile, that has another key.
      return { remove: async () => this.bucket?.remove(keys), putBack: () => Promise.resolve() };
    }
    const [from, to] = [this.path(hash), join(this.unfinishedFolder, `tidied-${hash}`)];
    const moved = await moves(from, to);
    const aside: SetAside = {
      remove: () => rm(to, { force: true }),
      putBack: () => rename(to, from).catch(() => undefined),
    };
    // Read after the move, where no process can touch it any more. A file that is gone leaves a row that nothing
    // refers to.
    if (!moved || (await stat(to)).mtime < planned) return aside;
    await aside.putBack();
    return null;
  }

  /** Removes files of the other kinds, by name. */
  async remove(kind: "reshaped" | "package" | "upload" | "saved", name: string): Promise<void> {
    const { folder, prefix } = {
      reshaped: { folder: reshapedFolder, prefix: null },
      package: { folder: packageFolder, prefix: "packages/" },
      upload: { folder: uploadFolder, prefix: "uploads/" },
      saved: { folder: savedFolder, prefix: "saved/" },
    }[kind];
    if (prefix !== null) await this.bucket?.remove([prefix + name]);
    await rm(join(folder(this.root), name), { force: true });
  }

  /** Whether audio has the bytes that its name says: in the bucket, where there is one. */
  async isWhole(hash: string): Promise<boolean> {
    if (this.bucket === null) return (await sha256OfFile(this.path(hash))) === hash;
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

  /** Gives up what was begun to be stored in the bucket before a time and was cut off. */
  async abandonParts(before: Date): Promise<void> {
    await this.bucket?.abandonParts(before);
  }

  /** Stores what this machine has of audio and packages in the bucket, where that has not. */
  async fillBucket(): Promise<void> {
    const { bucket } = this;
    if (bucket === null) return;
    for await (const { name, path } of filesOf(audioFolder(this.root))) {
      const hash = name.replace(/\.wav$/, "");
      if (!(await this.touch(hash))) await bucket.put(audioKey(hash), path, hash);
    }
    for await (const { name, path } of filesOf(packageFolder(this.root))) {
      const key = packageKey(name.replace(/\.zip$/, ""));
      if (!(await bucket.has(key))) await bucket.put(key, path, await sha256OfFile(path));
    }
  }

  /** Throws where the bucket does not answer; says where it is. Null: there is none. */
  async checkBucket(): Promise<string | null> {
    await this.bucket?.check();
    return this.bucket?.name ?? null;
  }

  /**
   * Ends with notes. What others note as well stays: they rely on it. Objects of a bucket stay, too, until they are
   * tidied away, as another machine may rely on one.
   */
  private async settled(notes: readonly Note[], knownOf: KnownOf): Promise<void> {
    if (notes.length === 0) return;
    const isRelied = this.bucket !== null;
    const known = isRelied ? new Set(notes.map((n) => n.hash)) : await knownOf(notes.map((n) => n.hash));
    for (const own of notes) {
      const aside = asideOf(own);
      // Another process was killed while it did this.
      if (await isFile(aside)) await rename(aside, this.path(own.hash));
      if (known.has(own.hash)) await rm(own.path, { force: true });
    }
    await this.giveUp(
      notes.filter((n) => !known.has(n.hash)),
      knownOf,
    );
  }

  /** Removes noted audio, and the notes, unless another process has a note of it or the database knows it. */
  private async giveUp(notes: readonly Note[], knownOf: KnownOf): Promise<void> {
    const folder = adoptingFolder(this.root);
    let left = notes;
    for (let tries = 1; left.length > 0; tries++) {
      const own = new Set(left.map((n) => n.path));
      const ofOthers = async () => new Set((await notesOf(folder)).filter((n) => !own.has(n.path)).map((n) => n.hash));
      const needed = new Set(await ofOthers());
      const moved: Note[] = [];
      for (const n of left) if (!needed.has(n.hash) && (await moves(this.path(n.hash), asideOf(n)))) moved.push(n);
      let isSure = false;
      try {
        // A process that relied on it before the move has a note, or had one until the database knew: in this order.
        for (const hash of await ofOthers()) needed.add(hash);
        if (moved.length > 0) for (const hash of await knownOf(moved.map((n) => n.hash))) needed.add(hash);
        isSure = true;
      } finally {
        for (const n of moved) if (!isSure || needed.has(n.hash)) await rename(asideOf(n), this.path(n.hash));
      }
      for (const n of moved) if (!needed.has(n.hash)) await rm(asideOf(n), { force: true });
      for (const n of left) await rm(n.path, { force: true });
      const contended = [...new Set(left.map((n) => n.hash))].filter((hash) => needed.has(hash));
      if (contended.length === 0 || tries === GIVE_UP_TRIES) return;
      // Others may give it up in the same moment, and have seen these notes: the last of them looks again.
      await new Promise((resolve) => setTimeout(resolve, tries * (1 + 10 * Math.random())));
      const relied = await ofOthers();
      const known = await knownOf(contended);
      const again: Note[] = [];
      for (const hash of contended)
        if (!relied.has(hash) && !known.has(hash) && (await isFile(this.path(hash))))
          again.push(await note(folder, WRITER, hash));
      left = again;
    }
  }

  /** Copies of a file of audio in the bucket, the newest last. */
  private async copies(hash: string): Promise<readonly StoredObject[]> {
    const found: StoredObject[] = [];
    for await (const object of this.bucket?.list(`audio/${hash}/`) ?? []) found.push(object);
    return found.sort((a, b) => a.changed.getTime() - b.changed.getTime());
  }

  private async adopted(unfinished: string, key: string, path: string): Promise<void> {
    await this.bucket?.put(key, unfinished, await sha256OfFile(unfinished));
    await moveIntoPlace(unfinished, path);
  }

  private async *every(prefix: string, folder: string): AsyncGenerator<KeptFile> {
    if (!this.bucket) return yield* filesOf(folder);
    for await (const { key, bytes, changed } of this.bucket.list(prefix))
      yield { name: key.slice(prefix.length), bytes, changed };
  }

  /** Whether a file is on this machine; then it is known to be in use. */
  private async used(path: string): Promise<boolean> {
    const found = await stat(path).catch(() => null);
    if (this.bucket && found && Date.now() - found.mtimeMs > IN_USE_MS / 10) await touched(path);
    return found !== null;
  }

  /** Brings an object of the bucket to a place on this machine; false where there is none. */
  private async fetched(path: string, keyOf: () => Promise<string | null>): Promise<boolean> {
    const { bucket } = this;
    if (bucket === null) return false;
    const known = fetching.get(path);
    if (known) return this.orCalledOff(known);
    const fetch = async (): Promise<boolean> => {
      const key = await keyOf();
      if (key === null) return false;
      if (performance.now() - trimmedAt > TRIM_EVERY_MS) {
        trimmedAt = performance.now();
        await this.trim();
      }
      const unfinished = this.unfinished();
      try {
        if (!(await bucket.get(key, unfinished))) return false;
        await moveIntoPlace(unfinished, path);
        return true;
      } finally {
        await rm(unfinished, { force: true });
      }
    };
    const fetched = fetch().finally(() => fetching.delete(path));
    fetching.set(path, fetched);
    return this.orCalledOff(fetched);
  }

  private async orCalledOff<T>(coming: Promise<T>): Promise<T> {
    const signal = this.patience;
    if (signal === null) return coming;
    let give: () => void = () => undefined;
    const calledOff = new Promise<never>((_, reject) => {
      give = () => reject(signal.reason as Error);
      if (signal.aborted) give();
      else signal.addEventListener("abort", give, { once: true });
    });
    // Others that wait for it get the same result.
    coming.catch(() => undefined);
    try {
      return await Promise.race([coming, calledOff]);
    } finally {
      signal.removeEventListener("abort", give);
    }
  }

  /** Removes what this machine has of the bucket and has not needed for longest, where that is more than it may be. */
  async trim(): Promise<void> {
    const most = Number(process.env["STEMZO_CACHE_GB"] ?? CACHE_GB) * 1e9;
    const files: (KeptFile & { readonly path: string })[] = [];
    for (const folder of [audioFolder, packageFolder, reshapedFolder, savedFolder, uploadFolder])
      for await (const file of filesOf(folder(this.root))) files.push(file);
    let bytes = files.reduce((n, f) => n + f.bytes, 0);
    for (const { path, bytes: own, changed } of files.sort((a, b) => a.changed.getTime() - b.changed.getTime())) {
      if (bytes <= most || Date.now() - changed.getTime() < IN_USE_MS) return;
      await rm(path, { force: true });
      bytes -= own;
    }
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
