import { createHash } from "node:crypto";
import { closeSync, existsSync, fstatSync, futimesSync, mkdirSync, openSync, readSync, readdirSync } from "node:fs";
import { renameSync, rmSync, statSync, writeSync } from "node:fs";
import { dirname, join } from "node:path";
import { z } from "zod";
import { type Checkpoint, packState, unpackState } from "../../core/engine/checkpoint";
import type { Frames } from "../../core/units";
import { roomIn } from "../../server/audio/room";
import { debug } from "../../server/debug";
import { checkpointFolder } from "../../server/paths";

/**
 * Checkpoints of a render in one file, beside the audio that was rendered: `LANE.HASH`. The lane says what is rendered
 * (see `laneOf`), the hash which audio. They are a cache: one that is damaged or gone costs time and nothing else.
 */

/** All of them together; those that were used least recently go first. */
const MOST_BYTES = 2 * 1024 ** 3;
/** With less room than this left on the disk there are none: it is for audio. */
const LEAST_ROOM_BYTES = 1024 ** 3;
/** Files of one lane: every fix leaves one, and a render looks into all of them. */
const MOST_OF_LANE = 8;
const MOST_INDEX_BYTES = 1024 ** 2;

const entrySchema = z.strictObject({
  clock: z.number().int().positive(),
  block: z.number().int().positive(),
  /** `prefixFingerprint` at the clock. */
  prefix: z.string(),
  /** Where the packed state lies in the file, and its SHA-256. */
  from: z.number().int().nonnegative(),
  bytes: z.number().int().positive(),
  sha256: z.string(),
});
const indexSchema = z.array(entrySchema);
type Entry = z.infer<typeof entrySchema>;

const sha256 = (bytes: Uint8Array | string): string => createHash("sha256").update(bytes).digest("hex");

/** Where checkpoints wait until it is known which audio they belong to. */
export const waitingPath = (output: string): string => `${output}.checkpoints`;

/**
 * Writes the checkpoints of one render. The file ends with its index, that index's hash and its length. Where it cannot
 * be written, as on a full disk, there is none: the render goes on.
 */
export class CheckpointWriter {
  private file: number | null = null;
  private readonly index: Entry[] = [];
  private at = 0;

  constructor(
    private readonly path: string,
    private readonly prefixAt: (clock: Frames) => string,
  ) {
    this.orNone(() => {
      this.file = openSync(path, "w", 0o600);
    });
  }

  take({ clock, block, state }: Checkpoint): void {
    if (this.file === null) return;
    if (!hasRoom(this.path)) return this.discard();
    const packed = packState(state);
    const [from, bytes] = [this.at, packed.length];
    this.orNone(() => this.write(packed));
    this.index.push({ clock, block, prefix: this.prefixAt(clock), from, bytes, sha256: sha256(packed) });
  }

  close(): void {
    if (this.index.length === 0) return this.discard();
    const index = Buffer.from(JSON.stringify(this.index));
    this.orNone(() => {
      this.write(index);
      this.write(Buffer.from(`${sha256(index)}${String(index.length).padStart(10, "0")}`));
    });
    if (this.file !== null) closeSync(this.file);
    this.file = null;
  }

  discard(): void {
    if (this.file === null) return;
    closeSync(this.file);
    this.file = null;
    rmSync(this.path, { force: true });
  }

  private write(bytes: Uint8Array): void {
    if (this.file === null) return;
    for (let done = 0; done < bytes.length;) done += writeSync(this.file, bytes, done);
    this.at += bytes.length;
  }

  private orNone(work: () => void): void {
    try {
      work();
    } catch (error) {
      if (!isOfDisk(error)) throw error;
      this.discard();
    }
  }
}

/** Whether the disk of a file has room for more than audio. */
const hasRoom = (path: string): boolean => roomIn(dirname(path)) >= LEAST_ROOM_BYTES;

/** An error of the file system, not of the code. */
const isOfDisk = (error: unknown): boolean => error instanceof Error && "syscall" in error;

const FOOT = 64 + 10;

/** Bytes of a file from a place on; fewer where it ends. */
function readAt(file: number, from: number, bytes: number): Buffer {
  const into = Buffer.alloc(bytes);
  return into.subarray(0, readSync(file, into, 0, bytes, from));
}

/** The index of a file of checkpoints; empty where the file is not whole. */
function indexOf(file: number): readonly Entry[] {
  const { size } = fstatSync(file);
  const foot = readAt(file, Math.max(0, size - FOOT), FOOT).toString("latin1");
  const length = Number(foot.slice(64));
  if (foot.length !== FOOT || !Number.isSafeInteger(length) || length > Math.min(size, MOST_INDEX_BYTES)) return [];
  const index = readAt(file, Math.max(0, size - FOOT - length), length);
  if (sha256(index) !== foot.slice(0, 64)) return [];
  return indexSchema.catch([]).parse(JSON.parse(index.toString()));
}

export interface KnownPrefix {
  readonly checkpoint: Checkpoint;
  /** Hash of the audio that holds what comes before. */
  readonly audio: string;
}

/** The latest checkpoint on a lane of which the session is still the same up to there. */
export function latestCheckpoint(
  dataRoot: string,
  lane: string,
  prefixAt: (clock: Frames) => string,
): KnownPrefix | null {
  const folder = checkpointFolder(dataRoot);
  const names = existsSync(folder) ? readdirSync(folder).filter((n) => n.startsWith(`${lane}.`)) : [];
  const files = names.flatMap((name) => {
    try {
      return [{ audio: name.slice(lane.length + 1), file: openSync(join(folder, name), "r") }];
    } catch {
      // Tidied away meanwhile.
      return [];
    }
  });
  try {
    const prefixes = new Map<Frames, string>();
    const all = files.flatMap((f) => indexOf(f.file).map((entry) => ({ ...f, entry })));
    for (const { audio, file, entry } of all.sort((a, b) => b.entry.clock - a.entry.clock)) {
      const { clock, block, from, bytes } = entry;
      const prefix = prefixes.get(clock) ?? prefixAt(clock);
      prefixes.set(clock, prefix);
      if (prefix !== entry.prefix) continue;
      const packed = readAt(file, from, bytes);
      if (sha256(packed) !== entry.sha256) continue;
      const state = unpackState(packed);
      const now = new Date();
      futimesSync(file, now, now);
      return { audio, checkpoint: { clock, block, state } };
    }
    return null;
  } finally {
    for (const { file } of files) closeSync(file);
  }
}

/** Keeps the checkpoints of a render, now that its audio is in the store; makes room for them. */
export function keepCheckpoints(dataRoot: string, output: string, lane: string, audio: string): void {
  const waiting = waitingPath(output);
  if (!statSync(waiting, { throwIfNoEntry: false })?.isFile()) return;
  const folder = checkpointFolder(dataRoot);
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    renameSync(waiting, join(folder, `${lane}.${audio}`));
    for (const { path } of filesOf(dataRoot, `${lane}.`).slice(MOST_OF_LANE)) rmSync(path, { force: true });
    tidyCheckpoints(dataRoot, hasRoom(waiting) ? MOST_BYTES : 0);
  } catch (error) {
    if (!isOfDisk(error)) throw error;
    debug("engine", () => `no checkpoints are kept: ${String(error)}`);
  }
}

/** Removes the checkpoints used least recently until the rest fits. */
export function tidyCheckpoints(dataRoot: string, most: number): void {
  let sum = 0;
  for (const { path, bytes } of filesOf(dataRoot)) {
    sum += bytes;
    if (sum > most) rmSync(path, { force: true });
  }
}

/** Files of checkpoints whose names begin like this, those that were used last first. */
const filesOf = (dataRoot: string, begin = "") =>
  readdirSync(checkpointFolder(dataRoot))
    .filter((name) => name.startsWith(begin))
    .flatMap((name) => {
      const path = join(checkpointFolder(dataRoot), name);
      const stat = statSync(path, { throwIfNoEntry: false });
      return stat ? [{ path, bytes: stat.size, used: stat.mtimeMs }] : [];
    })
    .sort((a, b) => b.used - a.used);
