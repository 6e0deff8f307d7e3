import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { createReadStream, createWriteStream, existsSync } from "node:fs";
import { mkdir, open, readFile, readdir, rename, rm, stat, writeFile } from "node:fs/promises";
import { dirname, join } from "node:path";
import { Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { z } from "zod";
import { AudioStore } from "../server/audio/store";
import { audioFolder, instrumentFolder, packageFolder } from "../server/paths";
import { databaseProgram } from "./database";
import { placeOfData, withDatabase } from "./place";

/** What a backup's folder holds: every dump by its time, audio and packages once for all of them. */
const KEPT = [audioFolder, packageFolder, instrumentFolder] as const;
const FILE_LIST = "backup.json";

const backupSchema = z.strictObject({
  format: z.literal("stemzo-backup"),
  version: z.literal(1),
  /** When the dump was begun: what was acknowledged before is in it. */
  begun: z.string(),
  dump: z.strictObject({ name: z.string(), bytes: z.int(), sha256: z.string() }),
});
export type Backup = z.infer<typeof backupSchema>;

/**
 * Writes a backup beside those that are there, while everything runs: the database as it is at one moment, then every
 * file that is not there yet. Files only come, and tidying keeps away while a dump is made, so that all the dump speaks
 * of is copied.
 */
export async function backup(dataRoot: string, to: string): Promise<Backup> {
  await mkdir(to, { recursive: true, mode: 0o700 });
  return withDatabase(dataRoot, async ({ url, holdTidying }) => {
    const letGo = await holdTidying();
    try {
      const begun = new Date().toISOString();
      const name = `database-${begun.replaceAll(/[:.]/g, "-")}.dump`;
      const path = join(to, name);
      run("pg_dump", ["--format=custom", `--file=${path}.unfinished`], url);
      await settled(`${path}.unfinished`, path);
      const store = new AudioStore(dataRoot);
      await store.prepare(false);
      await copyMissing(store, to);
      const { bytes, sha256 } = await digestOf(path);
      const made: Backup = { format: "stemzo-backup", version: 1, begun, dump: { name, bytes, sha256 } };
      await writeFile(join(to, `${FILE_LIST}.new`), JSON.stringify(made, null, 2));
      await settled(join(to, `${FILE_LIST}.new`), join(to, FILE_LIST));
      return made;
    } finally {
      await letGo();
    }
  });
}

/** Brings the newest backup of a folder into a place where there is nothing yet. Every file's hash is compared. */
export async function restore(from: string, dataRoot: string): Promise<Backup> {
  const made = backupSchema.parse(JSON.parse(await readFile(join(from, FILE_LIST), "utf8")));
  if (existsSync(dataRoot) && (await readdir(dataRoot)).length > 0)
    throw new Error(`${dataRoot} is not empty: a backup is restored where there is nothing, and nothing was changed`);
  const dump = join(from, made.dump.name);
  if ((await digestOf(dump)).sha256 !== made.dump.sha256) throw new Error(`${dump} is damaged: nothing was restored`);
  await mkdir(join(dataRoot, "database"), { recursive: true });
  try {
    for (const folder of KEPT) await copyNew(folder(from), folder(dataRoot));
    await new AudioStore(dataRoot).fillBucket();
    await withDatabase(dataRoot, async ({ url }) => {
      run("pg_restore", ["--exit-on-error", "--no-owner", "--single-transaction", dump], url);
    });
    // The demo is made on first use; a restored installation has its own.
    await writeFile(join(dataRoot, "seeded"), "");
  } catch (error) {
    await rm(dataRoot, { recursive: true, force: true });
    throw error;
  }
  return made;
}

/** The password goes by the environment: arguments are shown to everybody on the machine. */
function run(program: string, args: readonly string[], database: string): void {
  const url = new URL(database);
  const env = { ...process.env, PGPASSWORD: decodeURIComponent(url.password) };
  url.password = "";
  const all = [...args, `--dbname=${url.href}`];
  const { status, stderr } = spawnSync(databaseProgram(program), all, { encoding: "utf8", env });
  if (status !== 0) throw new Error(`${program} failed: ${stderr}`);
}

/** Copies what the store has and a backup has not, out of the bucket where it is kept in one. */
async function copyMissing(store: AudioStore, to: string): Promise<void> {
  for await (const { name, bytes } of store.everyAudio()) {
    const target = join(audioFolder(to), name.slice(0, 2), `${name}.wav`);
    await copyOne(target, bytes, () => store.audioHere(name), name);
  }
  for await (const { name, bytes } of store.packages.list())
    await copyOne(join(packageFolder(to), `${name}.zip`), bytes, () => store.packages.local(name), null);
  for await (const { name, bytes } of store.instruments.list())
    await copyOne(join(instrumentFolder(to), `${name}.sf2`), bytes, () => store.instruments.local(name), null);
}

async function copyOne(
  target: string,
  bytes: number,
  from: () => Promise<string>,
  wanted: string | null,
): Promise<void> {
  if ((await stat(target).catch(() => null))?.size === bytes) return;
  await mkdir(dirname(target), { recursive: true, mode: 0o700 });
  const source = await from();
  const { sha256 } = await copied(source, `${target}.unfinished`);
  if (wanted !== null && wanted !== sha256) {
    await rm(`${target}.unfinished`);
    throw new Error(`${source} is damaged: its bytes are not those that its name says`);
  }
  await settled(`${target}.unfinished`, target);
}

/** Copies files that are not there. Where the name is the hash, it is compared with the bytes as they are copied. */
async function copyNew(from: string, to: string): Promise<void> {
  await mkdir(to, { recursive: true, mode: 0o700 });
  for (const entry of await readdir(from, { withFileTypes: true }).catch(() => [])) {
    const [source, target] = [join(from, entry.name), join(to, entry.name)];
    if (entry.isDirectory()) {
      await copyNew(source, target);
      continue;
    }
    const found = await stat(source).catch(() => null);
    if (!found || (await stat(target).catch(() => null))?.size === found.size) continue;
    const { sha256 } = await copied(source, `${target}.unfinished`);
    const [, wanted] = /^([0-9a-f]{64})\.wav$/.exec(entry.name) ?? [];
    if (wanted !== undefined && wanted !== sha256) {
      await rm(`${target}.unfinished`);
      throw new Error(`${source} is damaged: its bytes are not those that its name says`);
    }
    await settled(`${target}.unfinished`, target);
  }
}

async function copied(from: string, to: string): Promise<{ readonly sha256: string }> {
  const hash = createHash("sha256");
  const hashing = new Transform({
    transform(chunk: Buffer, _, done) {
      hash.update(chunk);
      done(null, chunk);
    },
  });
  await pipeline(createReadStream(from, { highWaterMark: 1 << 20 }), hashing, createWriteStream(to));
  return { sha256: hash.digest("hex") };
}

async function digestOf(path: string): Promise<{ readonly bytes: number; readonly sha256: string }> {
  const hash = createHash("sha256");
  await pipeline(createReadStream(path, { highWaterMark: 1 << 20 }), hash);
  return { bytes: (await stat(path)).size, sha256: hash.digest("hex") };
}

/** On the disk before it has its name, and its name before this returns. */
async function settled(from: string, to: string): Promise<void> {
  for (const [path, then] of [
    [from, () => rename(from, to)],
    [dirname(to), () => Promise.resolve()],
  ] as const) {
    const handle = await open(path, "r");
    try {
      await handle.sync();
    } finally {
      await handle.close();
    }
    await then();
  }
}

async function main(): Promise<void> {
  const [what, folder] = process.argv.slice(2);
  if (!folder || (what !== "backup" && what !== "restore"))
    throw new Error("Say where: npm run backup -- FOLDER, or npm run restore -- FOLDER");
  const made = what === "backup" ? await backup(placeOfData(), folder) : await restore(folder, placeOfData());
  console.log(`${what === "backup" ? "Backed up" : "Restored"}: everything acknowledged before ${made.begun}`);
}

if (process.argv[1]?.endsWith("backup.ts"))
  main().catch((error: unknown) => {
    console.error(error instanceof Error ? error.message : error);
    process.exit(1);
  });
