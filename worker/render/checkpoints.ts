import { createHash } from "node:crypto";
import { closeSync, existsSync, fstatSync, mkdirSync, openSync, readSync, readdirSync } from "node:fs";
import { renameSync, rmSync, statSync, utimesSync, writeFileSync, writeSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { type Checkpoint, packState } from "../../core/engine/checkpoint";
import type { Frames } from "../../core/units";
import { roomIn } from "../../server/audio/room";
import { debug } from "../../server/debug";
import { checkpointFolder } from "../../server/paths";

/**
 * Checkpoints of one pass in a folder `LANE.ID`, beside the audio that was rendered: a file for each thread, by its
 * number, and an index that says which audio they belong to. The lane says what is rendered (see `worker/render/
 * splice.ts`). They are a cache: one that is damaged or gone costs time and nothing else.
 */

/** All of them together; those that were used least recently go first. */
const MOST_BYTES = 2 * 1024 ** 3;
/** With less room than this left on the disk there are none: it is for audio. */
const LEAST_ROOM_BYTES = 1024 ** 3;
/** Passes of one lane: every fix leaves one, and a render looks into all of them. */
const MOST_OF_LANE = 8;
const MOST_INDEX_BYTES = 4 * 1024 ** 2;

const stateSchema = z.strictObject({
  clock: z.number().int().positive(),
  block: z.number().int().positive(),
  latency: z.number().int().nonnegative(),
  /** `prefixFingerprints` of the thread's files at the clock. */
  prefixes: z.array(z.string()),
  /** Where the packed state lies in the file, and its SHA-256. */
  from: z.number().int().nonnegative(),
  bytes: z.number().int().positive(),
  sha256: z.string(),
});
const threadSchema = z.strictObject({
  /** The thread's files, each by its order. */
  orders: z.array(z.string()),
  states: z.array(stateSchema),
});
const passSchema = z.strictObject({
  threads: z.number().int().positive().max(256),
  /** SHA-256 of each file of the pass, by its order. */
  audio: z.record(z.string(), z.string()),
});
type ThreadIndex = z.infer<typeof threadSchema>;
export type KeptState = z.infer<typeof stateSchema>;

const INDEX = "index";

export const sha256 = (bytes: Uint8Array | string): string => createHash("sha256").update(bytes).digest("hex");

/** Where a pass's checkpoints wait until it is known which audio they belong to; `output` is a file of the pass. */
export const waitingPath = (output: string): string => `${output}.checkpoints`;

/** A list, its hash and its length, as they end a file. */
function withFoot(index: unknown): Buffer {
  const bytes = Buffer.from(JSON.stringify(index));
  return Buffer.concat([bytes, Buffer.from(`${sha256(bytes)}${String(bytes.length).padStart(10, "0")}`)]);
}

const FOOT = 64 + 10;

/** What `withFoot` ended a file with; null where the file is not whole. */
function foot(file: number): unknown {
  const { size } = fstatSync(file);
  const ending = readAt(file, Math.max(0, size - FOOT), FOOT).toString("latin1");
  const length = Number(ending.slice(64));
  if (ending.length !== FOOT || !Number.isSafeInteger(length) || length > Math.min(size, MOST_INDEX_BYTES)) return null;
  const index = readAt(file, Math.max(0, size - FOOT - length), length);
  return sha256(index) === ending.slice(0, 64) ? JSON.parse(index.toString()) : null;
}

/** Bytes of a file from a place on; fewer where it ends. */
export function readAt(file: number, from: number, bytes: number): Buffer {
  const into = Buffer.alloc(bytes);
  return into.subarray(0, readSync(file, into, 0, bytes, from));
}

/**
 * Writes the checkpoints of one thread of a pass. Where they cannot be written, as on a full disk, there are none: the
 * render goes on.
 */
export class CheckpointWriter {
  private file: number | null = null;
  private readonly states: KeptState[] = [];
  private readonly path: string;
  private at = 0;

  /** `orders`: of the thread's files; `prefixesAt` gives their prefix fingerprints. */
  constructor(
    private readonly folder: string,
    thread: number,
    private readonly orders: readonly string[],
    private readonly prefixesAt: (clock: Frames) => readonly string[],
  ) {
    this.path = join(folder, String(thread));
    this.orNone(() => {
      mkdirSync(folder, { recursive: true, mode: 0o700 });
      this.file = openSync(this.path, "w", 0o600);
    });
  }

  take({ state, ...place }: Checkpoint): void {
    if (this.file === null) return;
    if (!hasRoom(this.folder)) return this.discard();
    const packed = packState(state);
    const [from, bytes] = [this.at, packed.length];
    this.orNone(() => this.write(packed));
    this.states.push({ ...place, prefixes: [...this.prefixesAt(place.clock)], from, bytes, sha256: sha256(packed) });
  }

  close(): void {
    const index: ThreadIndex = { orders: [...this.orders], states: this.states };
    if (this.states.length === 0) return this.discard();
    this.orNone(() => this.write(withFoot(index)));
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

/** Whether the disk of a folder has room for more than audio. */
const hasRoom = (folder: string): boolean => roomIn(folder) >= LEAST_ROOM_BYTES;

/** An error of the file system, not of the code. */
const isOfDisk = (error: unknown): boolean => error instanceof Error && "syscall" in error;

/** The checkpoints of a pass: what each thread kept at the same places, and the audio that holds what comes before. */
export interface KeptPass {
  readonly folder: string;
  readonly threads: readonly ThreadIndex[];
  readonly audio: ReadonlyMap<string, string>;
}

/** Whether anything is kept on a lane. */
export const hasKept = (dataRoot: string, lane: string): boolean =>
  namesIn(checkpointFolder(dataRoot)).some((name) => name.startsWith(`${lane}.`));

/** All that is kept on a lane and is whole. */
export const keptOn = (dataRoot: string, lane: string): readonly KeptPass[] =>
  passesIn(dataRoot, `${lane}.`).flatMap(({ path }) => {
    const pass = passSchema.safeParse(footOf(join(path, INDEX)));
    if (!pass.success) return [];
    const threads = Array.from({ length: pass.data.threads }, (_, i) =>
      threadSchema.safeParse(footOf(join(path, String(i)))),
    ).flatMap((thread) => (thread.success ? [thread.data] : []));
    if (threads.length < pass.data.threads) return [];
    return [{ folder: path, threads, audio: new Map(Object.entries(pass.data.audio)) }];
  });

/** The foot of a file; null where the file is not whole, or was tidied away meanwhile. */
function footOf(path: string): unknown {
  let file: number;
  try {
    file = openSync(path, "r");
  } catch {
    return null;
  }
  try {
    return foot(file);
  } finally {
    closeSync(file);
  }
}

/** The packed state of a thread; null where it is damaged or gone. */
export function readState(folder: string, thread: number, { from, bytes, sha256: hash }: KeptState): Buffer | null {
  let file: number;
  try {
    file = openSync(join(folder, String(thread)), "r");
  } catch {
    return null;
  }
  try {
    const packed = readAt(file, from, bytes);
    return sha256(packed) === hash ? packed : null;
  } finally {
    closeSync(file);
  }
}

/** A pass's checkpoints are used: they stay longer than others. */
export function touch({ folder }: Pick<KeptPass, "folder">): void {
  const now = new Date();
  try {
    utimesSync(join(folder, INDEX), now, now);
  } catch {
    // Tidied away meanwhile.
  }
}

/** Keeps the checkpoints of a pass, now that its audio is known by its hashes; makes room for them. */
export function keepCheckpoints(
  dataRoot: string,
  waiting: string,
  lane: string,
  threads: number,
  audio: Readonly<Record<string, string>>,
): void {
  const isWhole = Array.from({ length: threads }, (_, i) => existsSync(join(waiting, String(i)))).every(Boolean);
  try {
    if (!isWhole) return rmSync(waiting, { recursive: true, force: true });
    const folder = join(checkpointFolder(dataRoot), `${lane}.${sha256(Object.values(audio).join())}`);
    writeFileSync(join(waiting, INDEX), withFoot({ threads, audio }), { mode: 0o600 });
    mkdirSync(checkpointFolder(dataRoot), { recursive: true, mode: 0o700 });
    rmSync(folder, { recursive: true, force: true });
    renameSync(waiting, folder);
    for (const { path } of passesIn(dataRoot, `${lane}.`).slice(MOST_OF_LANE)) rmSync(path, { recursive: true });
    tidyCheckpoints(dataRoot, hasRoom(folder) ? MOST_BYTES : 0);
  } catch (error) {
    if (!isOfDisk(error)) throw error;
    debug("engine", () => `no checkpoints are kept: ${String(error)}`);
  }
}

/** Removes the checkpoints used least recently until the rest fits. */
export function tidyCheckpoints(dataRoot: string, most: number): void {
  let sum = 0;
  for (const { path, bytes } of passesIn(dataRoot)) {
    sum += bytes;
    if (sum > most) rmSync(path, { recursive: true, force: true });
  }
}

/** Folders of passes whose names begin like this, those that were used last first. */
function passesIn(dataRoot: string, begin = "") {
  const root = checkpointFolder(dataRoot);
  if (!existsSync(root)) return [];
  return readdirSync(root)
    .filter((name) => name.startsWith(begin))
    .map((name) => {
      const path = join(root, name);
      const files = namesIn(path).flatMap((file) => statSync(join(path, file), { throwIfNoEntry: false }) ?? []);
      const used = statSync(join(path, INDEX), { throwIfNoEntry: false })?.mtimeMs ?? 0;
      return { path, bytes: files.reduce((sum, f) => sum + f.size, 0), used };
    })
    .sort((a, b) => b.used - a.used);
}

/** Names in a folder; none where it was tidied away meanwhile. */
function namesIn(folder: string): readonly string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}
