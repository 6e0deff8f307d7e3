import { existsSync, mkdirSync, readFileSync, readlinkSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
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
import { serve } from "./serve";

const WANTED_PORT = 4870;

/**
 * Starts everything and keeps it running until it is told to stop. With `--dev`, pages and render process are built
 * anew whenever their sources change.
 */
async function main(): Promise<void> {
  const dataRoot = process.env["STEMZO_DATA"] ?? defaultDataRoot(CHECKOUT, process.getuid?.() === 0);
  mkdirSync(dataRoot, { recursive: true });
  const path = join(dataRoot, "running.json");
  const last = readNote(path);
  if (last && isOurs(last.pid)) {
    console.log(`Stemzo is running already: ${last.address}`);
    return;
  }
  // A start that was killed could not stop what it had started.
  for (const pid of last?.children ?? []) if (isOurs(pid)) process.kill(pid, "SIGKILL");
  const host = process.env["STEMZO_HOST"] ?? "127.0.0.1";
  const settings = isOpenToOthers() ? { STEMZO_PASSWORD_HASH: await hashPassword(passwordFor(host)) } : {};
  const port = await freePort(Number(process.env["STEMZO_PORT"] ?? WANTED_PORT));
  const note: Note = { pid: process.pid, address: `http://127.0.0.1:${port}`, children: [] };
  writeFileSync(path, JSON.stringify(note));
  const onChild = (pid: number) => {
    note.children.push(pid);
    writeFileSync(path, JSON.stringify(note));
  };

  const database = await startDatabase(join(dataRoot, "database"));
  database.keepAlive((line) => console.log(line));
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
      log: (line) => console.log(line),
    });
    console.log(`\nStemzo is ready: ${served.address}\nCtrl+C stops it.\n`);
    await new Promise<void>((resolve) => {
      process.once("SIGINT", () => resolve());
      process.once("SIGTERM", () => resolve());
      process.once("SIGHUP", () => resolve());
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
  readonly pid: number;
  readonly address: string;
  readonly children: number[];
}

function readNote(path: string): Note | null {
  if (!existsSync(path)) return null;
  try {
    return JSON.parse(readFileSync(path, "utf8")) as Note;
  } catch {
    // Cut off in the middle of writing: it tells nothing.
    return null;
  }
}

/** Whether a process number is one of this checkout's; it may have been given to another program since. */
function isOurs(pid: number): boolean {
  try {
    return (
      readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(CHECKOUT) || readlinkSync(`/proc/${pid}/cwd`) === CHECKOUT
    );
  } catch {
    return false;
  }
}

main().catch((error: unknown) => {
  console.error(error instanceof Error ? error.message : error);
  process.exit(1);
});
