import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, expect, inject, test } from "vitest";
import { ThreadPool } from "../../worker/threads/threads";
import { endure } from "../truth/mutations";
import { audioVictims } from "./victims";

const folder = mkdtempSync(join(tmpdir(), "stemzo-sounds-"));
const pool = new ThreadPool(pathToFileURL(join(inject("workerFolder"), "task.thread.mjs")));
afterAll(async () => {
  await pool.close();
  rmSync(folder, { recursive: true, force: true });
});

/** A share of what `npm run trust` does ten thousand times a reader. */
test("no damaged file of sound does more than be refused as malformed, in time", async () => {
  for (const victim of audioVictims(folder, pool)) {
    const { faults, read, refused, slowestMs } = await endure(victim, 40);
    expect([victim.name, faults]).toEqual([victim.name, []]);
    expect([victim.name, read > 0, refused > 0, slowestMs < 5000]).toEqual([victim.name, true, true, true]);
  }
}, 120_000);
