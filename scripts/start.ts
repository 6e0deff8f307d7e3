import { parseArgs } from "node:util";
import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { seedDemo } from "../demo/seed";
import { AudioStore } from "../server/audio/store";
import { connect } from "../server/db/connect";
import { sessions } from "../server/db/schema";
import { alone, migrateDatabase } from "../server/db/migrate";
import { upgradeDocuments } from "../server/services/upgrade";
import { isOpenToOthers } from "../server/access/hosts";
import { hashLogin } from "../server/access/secrets";
import { defaultDataRoot } from "../server/paths";
import { CHECKOUT, buildAll, watchAll } from "./build";
import type { Part, Served } from "./serve";
import type { OwnDatabase } from "./database";
import { freePort, startDatabase } from "./database";
import type { ProcessId } from "../server/processes";
import { ancestor, endNow, identityOf, isStopped, isThere } from "../server/processes";
import { keepLogs } from "./log-files";
import { serve } from "./serve";

const WANTED_PORT = 4870;

/**
 * Starts everything and keeps it running until it is told to stop. With `--dev`, pages and render process are built
 * anew whenever their sources change. With `--part web` or `--part render` it is one of the two, of any number on any
 * number of machines that share a database and a bucket.
 */
async function main(): Promise<void> {
  const { values } = parseArgs({ options: { dev: { type: "boolean", default: false }, part: { type: "string" } } });
  const part = partOf(values.part);
  const external = process.env["STEMZO_DATABASE_URL"] ?? "";
  if (part !== null && (external === "" || !process.env["STEMZO_STORE"]))
    throw new Error(
      "Machines that share their work need one database and one bucket: set STEMZO_DATABASE_URL and STEMZO_STORE, " +
        "as docs/running.md tells.",
    );
  const dataRoot = process.env["STEMZO_DATA"] ?? defaultDataRoot(CHECKOUT, process.getuid?.() === 0);
  mkdirSync(dataRoot, { recursive: true });
  // Of root's data the database's own user has to come through to its part.
  chmodSync(dataRoot, process.getuid?.() === 0 ? 0o711 : 0o700);
  const path = join(dataRoot, part === null ? "running.json" : `running-${part}.json`);
  const last = readNote(path);
  if (last && isThere(last.main)) {
    console.log(
      isStopped(last.main)
        ? `Stemzo is running already and was stopped: let process ${last.main.pid} go on, or end it.`
        : `Stemzo is running already${last.address === "" ? "" : `: ${last.address}`}`,
    );
    return;
  }
  // A start that was killed could not stop what it had started; until that is gone its port is taken.
  await endNow(last?.children ?? []);
  const stopped = stopRequested();
  const host = process.env["STEMZO_HOST"] ?? "127.0.0.1";
  const settings =
    part !== "render" && isOpenToOthers() ? { STEMZO_PASSWORD_HASH: await hashLogin(passwordFor(host)) } : {};
  const port = await freePort(Number(process.env["STEMZO_PORT"] ?? WANTED_PORT));
  const main = identityOf(process.pid);
  if (!main) throw new Error("Stemzo needs /proc to tell its own processes from others");
  const note: Note = { main, address: part === "render" ? "" : `http://127.0.0.1:${port}`, children: [] };
  writeNote(path, note);
  const onChild = (pid: number) => {
    const child = identityOf(pid);
    note.children = [...note.children.filter(isThere), ...(child ? [child] : [])];
    writeNote(path, note);
  };

  const keep = keepLogs(join(dataRoot, "logs"));
  const say = (line: string, part: string) => {
    if (keep(part, line)) console.log(`${new Date().toISOString()} ${part}: ${line}`);
  };
  const database = external === "" ? await startDatabase(join(dataRoot, "database")) : elsewhere(external);
  database.keepAlive((line) => say(line, "database"));
  let served: Served | null = null as Served | null;
  const up = async () => {
    const store = new AudioStore(dataRoot);
    const bucket = await store.checkBucket().catch((error: Error) => {
      throw new Error(`The bucket of STEMZO_STORE cannot be used: ${error.message || error.name}`);
    });
    if (bucket !== null) console.log(`Audio and packages are kept in the bucket ${bucket}.`);
    // Beside another of our processes on this data only what the dead left is removed.
    await store.prepare(part === null);
    if (part !== null) await store.sweepDead();
    await alone(database.url, () => prepare(database.url, dataRoot, external !== ""));
    console.log("Building ...");
    const { dev } = values;
    const build = dev ? await watchAll("dev", () => served?.renewWorker()) : await buildAll("app");
    served = await serve({
      build,
      dev,
      ...(part === null ? {} : { parts: [part] }),
      port,
      host,
      settings,
      databaseUrl: database.url,
      dataRoot,
      onChild,
      log: say,
    });
    const ready = part === "render" ? "Stemzo renders here." : `Stemzo is ready: ${served.address}`;
    console.log(`\n${ready}\nCtrl+C stops it.\n`);
  };
  try {
    await Promise.race([up(), stopped]);
    await stopped;
    await served?.stop();
  } finally {
    database.stop();
    rmSync(path, { force: true });
  }
}

/**
 * Until all of it is to end, from now on: what has been started by then is stopped, and however often it is
 * said, and by how many (a terminal and npm, say), nothing is left halfway.
 */
function stopRequested(): Promise<void> {
  // When npm started this, its end means the end of all of it, however it was ended.
  const startedBy = process.env["npm_lifecycle_event"] ? ancestor((command) => command.includes("npm")) : null;
  return new Promise((resolve) => {
    for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) process.on(signal, () => resolve());
    setInterval(() => startedBy && !isThere(startedBy) && resolve(), 1000).unref();
  });
}

function partOf(name: string | undefined): Part | null {
  if (name === undefined || name === "web" || name === "render") return name ?? null;
  throw new Error(`There is no part "${name}": web and render are.`);
}

/** An external database. */
const elsewhere = (url: string): Pick<OwnDatabase, "url" | "keepAlive" | "stop"> => ({
  url,
  keepAlive: () => undefined,
  stop: () => undefined,
});

/** Brings the database to today's state, and makes the demo where there has never been a session. */
async function prepare(url: string, dataRoot: string, isShared: boolean): Promise<void> {
  const connected = connect(url, 2);
  try {
    await migrateDatabase(connected);
    const left = await upgradeDocuments(connected.db);
    if (left.length > 0)
      console.error(
        `These sessions could not be brought to today's version and are left as they were: ${left.join(", ")}`,
      );
    const seeded = join(dataRoot, "seeded");
    if (isShared ? (await connected.db.$count(sessions)) > 0 : existsSync(seeded)) return;
    console.log("Making the demo session Harbour Lamps ...");
    await seedDemo(connected.db, dataRoot);
    writeFileSync(seeded, "");
  } finally {
    await connected.pool.end();
  }
}

const LEAST_PASSWORD = 10;

/** Throws where others could come in without a password that keeps them out. */
function passwordFor(host: string): string {
  const password = process.env["STEMZO_PASSWORD"] ?? "";
  if (password.length >= LEAST_PASSWORD) return password;
  throw new Error(
    `STEMZO_HOST is ${host}: others can come in there, so STEMZO_PASSWORD has to be set, to ${LEAST_PASSWORD} characters or more.`,
  );
}

/** The processes on this data, for the next start. */
interface Note {
  readonly main: ProcessId;
  readonly address: string;
  children: readonly ProcessId[];
}

/** Whole or not at all: a note that is cut off would leave unknown processes. */
function writeNote(path: string, note: Note): void {
  writeFileSync(`${path}.new`, JSON.stringify(note));
  renameSync(`${path}.new`, path);
}

const idSchema = z.strictObject({ pid: z.int().positive(), since: z.string() });
const noteSchema = z.strictObject({ main: idSchema, address: z.string(), children: z.array(idSchema) });

function readNote(path: string): Note | null {
  if (!existsSync(path)) return null;
  try {
    return noteSchema.parse(JSON.parse(readFileSync(path, "utf8")));
  } catch {
    // Of another version, or damaged: it tells nothing that could be believed.
    return null;
  }
}

main().then(
  // What it was about to build or start when it was told to stop is of no use any more.
  () => process.exit(0),
  (error: unknown) => {
    console.error(error instanceof Error ? error.message : error);
    process.exit(1);
  },
);
