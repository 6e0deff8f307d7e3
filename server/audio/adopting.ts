import { randomUUID } from "node:crypto";
import { mkdir, readdir, writeFile } from "node:fs/promises";
import { join } from "node:path";
import type { ProcessId } from "../processes";
import { isThere } from "../processes";

/**
 * Says that audio is put into its place, and that the database may not speak of it yet: whoever does so may be killed
 * in between, and then nobody else would know. An empty file, whose name says who stores what.
 */
export interface Note {
  readonly path: string;
  readonly hash: string;
  readonly isDead: boolean;
}

/** Of those hashes the ones that the database speaks of; whoever was just entering one has done so, or will not. */
export type KnownOf = (hashes: readonly string[]) => Promise<ReadonlySet<string>>;

/** Writes a note. `writer`: the process's number and beginning, as `PID-SINCE`. */
export async function note(folder: string, writer: string, hash: string): Promise<Note> {
  await mkdir(folder, { recursive: true });
  const path = join(folder, `${writer}-${hash}-${randomUUID()}`);
  await writeFile(path, "");
  return { path, hash, isDead: false };
}

/** Every note that there is. */
export async function notesOf(folder: string): Promise<readonly Note[]> {
  return (await readdir(folder).catch(() => [])).flatMap((name): Note[] => {
    const [, pid, since, hash] = /^(\d+)-(\d+)-([0-9a-f]{64})-[0-9a-f-]{36}$/.exec(name) ?? [];
    if (pid === undefined || since === undefined || hash === undefined) return [];
    const writer: ProcessId = { pid: Number(pid), since };
    return [{ path: join(folder, name), hash, isDead: !isThere(writer) }];
  });
}

/** Where audio waits while it is found out whether anybody needs it. */
export const asideOf = ({ path }: Note): string => `${path}.wav`;
