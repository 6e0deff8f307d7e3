import { rm } from "node:fs/promises";
import type { AudioStore } from "../../server/audio/store";

/** Temporary files of one piece of work: what is not kept is removed at its end. */
export class Scratch {
  private readonly paths = new Set<string>();

  constructor(private readonly store: Pick<AudioStore, "unfinished">) {}

  /** A path for a new file. */
  unfinished(): string {
    const path = this.store.unfinished();
    this.paths.add(path);
    return path;
  }

  /** Takes over files that others made. */
  add(paths: readonly string[]): void {
    for (const path of paths) this.paths.add(path);
  }

  /** The caller has the file from now on. */
  keep(path: string): void {
    this.paths.delete(path);
  }

  async remove(): Promise<void> {
    await Promise.all([...this.paths].map((path) => rm(path, { force: true })));
  }
}
