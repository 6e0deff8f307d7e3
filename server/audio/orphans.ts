import { rename, rm } from "node:fs/promises";
import type { ProcessId } from "../processes";
import type { KnownOf, Note } from "./adopting";
import { asideOf, note, notesOf, ofDead } from "./adopting";
import { isFile, moves } from "./files";

/** How often audio that two processes give up at the same time is looked at again. */
const TRIES = 8;

/**
 * Finds stored audio that the database does not refer to after all: its job failed, or its process was killed. A note
 * is written before a file is stored, and removed after the database refers to it.
 */
export class Orphans {
  /** Notes of what was stored through this object. */
  private own: Note[] = [];

  constructor(
    private readonly folder: string,
    private readonly writer: ProcessId,
    private readonly pathOf: (hash: string) => string,
    /** Files may be removed. In a bucket they stay until tidying: another machine may rely on one. */
    private readonly mayRemove: boolean,
  ) {}

  /** Notes that a file is about to be stored. */
  async expect(hash: string): Promise<void> {
    this.own.push(await note(this.folder, this.writer, hash));
  }

  /** Removes what was stored through this object and the database does not refer to. */
  async reap(knownOf: KnownOf): Promise<void> {
    const notes = this.own;
    this.own = [];
    await this.end(notes, knownOf);
  }

  /** The same for processes that are no longer alive. */
  async reapOfDead(knownOf: KnownOf): Promise<void> {
    await this.end(ofDead(await notesOf(this.folder)), knownOf);
  }

  /** Audio that a process stores or has stored, which the database may not refer to yet. */
  async expected(): Promise<ReadonlySet<string>> {
    return new Set((await notesOf(this.folder)).map((n) => n.hash));
  }

  private async end(notes: readonly Note[], knownOf: KnownOf): Promise<void> {
    if (notes.length === 0) return;
    const hashes = notes.map((n) => n.hash);
    const known = this.mayRemove ? await knownOf(hashes) : new Set(hashes);
    for (const own of notes) {
      const aside = asideOf(own);
      // Another process was killed while it did this.
      if (await isFile(aside)) await rename(aside, this.pathOf(own.hash));
      if (known.has(own.hash)) await rm(own.path, { force: true });
    }
    const unknown = notes.filter((n) => !known.has(n.hash));
    await this.giveUp(unknown, knownOf);
  }

  /** Removes noted audio, and the notes, unless another process has a note of it or the database knows it. */
  private async giveUp(notes: readonly Note[], knownOf: KnownOf): Promise<void> {
    let left = notes;
    for (let tries = 1; left.length > 0; tries++) {
      const contended = await this.removeUnneeded(left, knownOf);
      if (contended.length === 0 || tries === TRIES) return;
      // Others may give it up in the same moment, and have seen these notes: the last of them looks again.
      await new Promise((resolve) => setTimeout(resolve, tries * (1 + 10 * Math.random())));
      left = await this.notedAgain(contended, knownOf);
    }
  }

  /** One try; answers with hashes that something needs, or that another process has a note of. */
  private async removeUnneeded(notes: readonly Note[], knownOf: KnownOf): Promise<readonly string[]> {
    const needed = new Set(await this.hashesOfOthers(notes));
    const moved: Note[] = [];
    for (const n of notes) if (!needed.has(n.hash) && (await moves(this.pathOf(n.hash), asideOf(n)))) moved.push(n);
    let isSure = false;
    try {
      // A process that relied on it before the move has a note, or had one until the database knew: in this order.
      for (const hash of await this.hashesOfOthers(notes)) needed.add(hash);
      if (moved.length > 0) for (const hash of await knownOf(moved.map((n) => n.hash))) needed.add(hash);
      isSure = true;
    } finally {
      for (const n of moved) if (!isSure || needed.has(n.hash)) await rename(asideOf(n), this.pathOf(n.hash));
    }
    for (const n of moved) if (!needed.has(n.hash)) await rm(asideOf(n), { force: true });
    for (const n of notes) await rm(n.path, { force: true });
    return [...new Set(notes.map((n) => n.hash))].filter((hash) => needed.has(hash));
  }

  /** New notes of what is still there and nothing needs any more. */
  private async notedAgain(hashes: readonly string[], knownOf: KnownOf): Promise<readonly Note[]> {
    const relied = await this.hashesOfOthers([]);
    const known = await knownOf(hashes);
    const again: Note[] = [];
    for (const hash of hashes)
      if (!relied.has(hash) && !known.has(hash) && (await isFile(this.pathOf(hash))))
        again.push(await note(this.folder, this.writer, hash));
    return again;
  }

  private async hashesOfOthers(notes: readonly Note[]): Promise<ReadonlySet<string>> {
    const own = new Set(notes.map((n) => n.path));
    return new Set((await notesOf(this.folder)).filter((n) => !own.has(n.path)).map((n) => n.hash));
  }
}
