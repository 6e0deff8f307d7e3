import { spawn } from "node:child_process";
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Client } from "pg";
import { describe, expect, it } from "vitest";
import { CHECKOUT } from "../../scripts/build";
import { freePort, startDatabase } from "../../scripts/database";
import { identityOf, isThere } from "../../server/processes";

const LONGEST_MS = 60_000;
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** What stands in a file that may go at any moment. */
function textOf(path: string): string {
  try {
    return readFileSync(path, "utf8");
  } catch {
    return "";
  }
}

/** The start script with a folder of its own, up to where its database is ready. */
async function started() {
  const data = mkdtempSync(join(tmpdir(), "stemzo-start-"));
  const note = join(data, "database/cluster/postmaster.pid");
  const child = spawn(process.execPath, ["--import", "tsx", join(CHECKOUT, "scripts/start.ts")], {
    cwd: CHECKOUT,
    env: { ...process.env, STEMZO_DATA: data, STEMZO_PORT: String(await freePort()) },
    stdio: "ignore",
  });
  try {
    // The last line of its note; while it is made there is another note for a moment.
    for (const until = Date.now() + LONGEST_MS; !textOf(note).includes("ready"); await pause(20))
      if (Date.now() > until) throw new Error("the database does not start");
    const database = identityOf(Number(readFileSync(note, "utf8").split("\n")[0]));
    if (!database) throw new Error("the database is gone already");
    return { data, child, database };
  } catch (error) {
    child.kill("SIGKILL");
    rmSync(data, { recursive: true, force: true });
    throw error;
  }
}

describe("the start script", () => {
  it(
    "stops all it has started, however often it is told to while it starts",
    async () => {
      const { data, child, database } = await started();
      try {
        const ended = new Promise<number | null>((resolve) => child.once("exit", resolve));
        await pause(400);
        // As a terminal, a process that passes it on, and an impatient hand would.
        for (const signal of ["SIGINT", "SIGTERM", "SIGTERM"] as const) {
          child.kill(signal);
          await pause(50);
        }
        expect(await ended).toBe(0);
        expect(isThere(database)).toBe(false);
        expect(existsSync(join(data, "running.json"))).toBe(false);
      } finally {
        child.kill("SIGKILL");
        rmSync(data, { recursive: true, force: true });
      }
    },
    2 * LONGEST_MS,
  );

  it(
    "takes the database with it when it is killed",
    async () => {
      const { data, child, database } = await started();
      try {
        // The guard starts right after it.
        await pause(3000);
        child.kill("SIGKILL");
        for (const until = Date.now() + LONGEST_MS; isThere(database) && Date.now() < until;) await pause(100);
        expect(isThere(database)).toBe(false);
      } finally {
        child.kill("SIGKILL");
        rmSync(data, { recursive: true, force: true });
      }
    },
    3 * LONGEST_MS,
  );
});

describe("a database", () => {
  it(
    "starts over a note that was left behind and names another program's process",
    async () => {
      const folder = mkdtempSync(join(tmpdir(), "stemzo-note-"));
      chmodSync(folder, 0o755);
      try {
        const first = await startDatabase(join(folder, "database"), { disposable: true });
        const path = join(folder, "database/cluster/postmaster.pid");
        const lines = readFileSync(path, "utf8").split("\n");
        first.stop();
        writeFileSync(path, [String(process.pid), ...lines.slice(1)].join("\n"));
        const second = await startDatabase(join(folder, "database"), { disposable: true });
        const client = new Client({ connectionString: second.url });
        await client.connect();
        expect((await client.query("select 1 as one")).rows).toEqual([{ one: 1 }]);
        await client.end();
        second.stop();
      } finally {
        rmSync(folder, { recursive: true, force: true });
      }
    },
    3 * LONGEST_MS,
  );
});
