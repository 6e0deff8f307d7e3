import { randomUUID } from "node:crypto";
import { mkdir, readdir, writeFile } from "node:fs/promises";
import { join } from "node:path";
import type { ProcessId } from "../processes";
import { isThere } from "../processes";

/**
 * A note that audio is stored and that the database may not refer to it yet. If the process is killed in between, the
 * note tells others. An empty file, whose name says which process stores what.
 */
export interface Note {
  readonly path: string;
  readonly hash: string;
  readonly writer: ProcessId;
}

/** Those hashes that the database refers to, after open transactions that may insert one have ended. */
export type KnownOf = (hashes: readonly string[]) => Promise<ReadonlySet<string>>;

/** Writes a note. */
export async function note(folder: string, writer: ProcessId, hash: string): Promise<Note> {
  await mkdir(folder, { recursive: true });
  const path = join(folder, `${writer.pid}-${writer.since}-${hash}-${randomUUID()}`);
  await writeFile(path, "");
  return { path, hash, writer };
}

/** Every note that there is. */
export async function notesOf(folder: string): Promise<readonly Note[]> {
  return (await readdir(folder).catch(() => [])).flatMap((name): Note[] => {
    const [, pid, since, hash] = /^(\d+)-(\d+)-([0-9a-f]{64})-[0-9a-f-]{36}$/.exec(name) ?? [];
    if (pid === undefined || since === undefined || hash === undefined) return [];
    return [{ path: join(folder, name), hash, writer: { pid: Number(pid), since } }];
  });
}

/** Of notes those whose writers are no longer alive. */
export function ofDead(notes: readonly Note[]): readonly Note[] {
  const lives = new Map<string, boolean>();
  return notes.filter(({ writer }) => {
    const name = `${writer.pid}-${writer.since}`;
    const isAlive = lives.get(name) ?? isThere(writer);
    lives.set(name, isAlive);
    return !isAlive;
  });
}

/** Where audio waits while it is found out whether anybody needs it. */
export const asideOf = ({ path }: Note): string => `${path}.wav`;
