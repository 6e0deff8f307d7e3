import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { z } from "zod";
import { seedDemo } from "../demo/seed";
import { AudioStore } from "../server/audio/store";
import { connect } from "../server/db/connect";
import { migrateDatabase } from "../server/db/migrate";
import { upgradeDocuments } from "../server/services/upgrade";
import { isOpenToOthers } from "../server/access/hosts";
import { hashPassword } from "../server/access/secrets";
import { defaultDataRoot } from "../server/paths";
import { CHECKOUT, buildAll, watchAll } from "./build";
import type { Served } from "./serve";
import { freePort, startDatabase } from "./database";
import type { ProcessId } from "./processes";
import { ancestor, endNow, identityOf, isStopped, isThere } from "./processes";
import { keepLogs } from "./log-files";
import { serve } from "./serve";

const WANTED_PORT = 4870;

/**
 * Starts everything and keeps it running until it is told to stop. With `--dev`, pages and render process are built
 * anew whenever their sources change.
 */
async function main(): Promise<void> {
  const dataRoot = process.env["STEMZO_DATA"] ?? defaultDataRoot(CHECKOUT, process.getuid?.() === 0);
  mkdirSync(dataRoot, { recursive: true });
  // Of root's data the database's own user has to come through to its part.
  chmodSync(dataRoot, process.getuid?.() === 0 ? 0o711 : 0o700);
  const path = join(dataRoot, "running.json");
  const last = readNote(path);
  if (last && isThere(last.main)) {
    console.log(
      isStopped(last.main)
        ? `Stemzo is running already and was stopped: let process ${last.main.pid} go on, or end it.`
        : `Stemzo is running already: ${last.address}`,
    );
    return;
  }
  // A start that was killed could not stop what it had started; until that is gone its port is taken.
  await endNow(last?.children ?? []);
  const startedBy = process.env["npm_lifecycle_event"] ? ancestor((command) => command.includes("npm")) : null;
  const host = process.env["STEMZO_HOST"] ?? "127.0.0.1";
  const settings = isOpenToOthers() ? { STEMZO_PASSWORD_HASH: await hashPassword(passwordFor(host)) } : {};
  const port = await freePort(Number(process.env["STEMZO_PORT"] ?? WANTED_PORT));
  const main = identityOf(process.pid);
  if (!main) throw new Error("Stemzo needs /proc to tell its own processes from others");
  const note: Note = { main, address: `http://127.0.0.1:${port}`, children: [] };
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
  const database = await startDatabase(join(dataRoot, "database"));
  database.keepAlive((line) => say(line, "database"));
  try {
    const connected = connect(database.url, 2);
    await migrateDatabase(connected);
    const left = await upgradeDocuments(connected.db);
    if (left.length > 0)
      console.error(
        `These sessions could not be brought to today's version and are left as they were: ${left.join(", ")}`,
      );
    await new AudioStore(dataRoot).prepare(true);
    const seeded = join(dataRoot, "seeded");
    if (!existsSync(seeded)) {
      console.log("Making the demo session Harbour Lamps ...");
      await seedDemo(connected.db, dataRoot);
      writeFileSync(seeded, "");
    }
    await connected.pool.end();
    console.log("Building ...");
    const dev = process.argv.includes("--dev");
    let served: Served | null = null;
    const build = dev ? await watchAll("dev", () => served?.renewWorker()) : await buildAll("app");
    served = await serve({
      build,
      dev,
      port,
      host,
      settings,
      databaseUrl: database.url,
      dataRoot,
      onChild,
      log: say,
    });
    console.log(`\nStemzo is ready: ${served.address}\nCtrl+C stops it.\n`);
    await new Promise<void>((resolve) => {
      process.once("SIGINT", () => resolve());
      process.once("SIGTERM", () => resolve());
      process.once("SIGHUP", () => resolve());
      // Whoever started this through npm means all of it when npm is ended, however that is done.
      setInterval(() => startedBy && !isThere(startedBy) && resolve(), 1000).unref();
    });
    await served.stop();
  } finally {
    database.stop();
    rmSync(path, { force: true });
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

/** Who runs on this data, for whoever starts next. */
interface Note {
  readonly main: ProcessId;
  readonly address: string;
  children: readonly ProcessId[];
}

/** Whole or not at all: a note that is cut off would leave processes that nobody knows. */
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

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});
