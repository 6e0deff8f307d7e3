import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { databaseProgram } from "../../scripts/database";
import { AudioStore } from "../../server/audio/store";
import { connect } from "../../server/db/connect";
import { migrateDatabase } from "../../server/db/migrate";
import { readHandoff, requestExport, requestProof } from "../../server/services/handoffs";
import { documentAt, readState } from "../../server/services/sessions";
import { travel } from "../../server/services/steps";
import { survey } from "../../server/services/tidy";
import { upgradeDocuments } from "../../server/services/upgrade";
import type { Fresh } from "../setup/fresh";
import { fresh } from "../setup/fresh";
import { ended, over, proven, startRenderProcess } from "../setup/render-process";

/** What was kept by the version of 26 November 2026, when sessions had no taps, bends or session files yet. */
const OLDER = join(import.meta.dirname, "older.tar.xz");

interface Expected {
  readonly session: string;
  readonly revision: number;
  readonly name: string;
  readonly handoff: string;
  readonly tracks: readonly {
    readonly id: string;
    readonly name: string;
    readonly faderDb: number;
    readonly frozen: boolean;
    readonly clips: readonly { readonly id: string; readonly start: number; readonly frames: number }[];
  }[];
}

let at: Fresh;
let expected: Expected;

beforeAll(async () => {
  at = await fresh();
  execFileSync("tar", ["-xJf", OLDER, "-C", at.dataRoot]);
  expected = JSON.parse(readFileSync(join(at.dataRoot, "expected.json"), "utf8")) as Expected;
  const name = "upgraded_from_older";
  const admin = connect(inject("databaseServer").replace(/NAME$/, "postgres"), 1);
  await admin.pool.query(`drop database if exists ${name}`);
  await admin.pool.query(`create database ${name}`);
  await admin.pool.end();
  const url = inject("databaseServer").replace(/NAME$/, name);
  const dump = join(at.dataRoot, "database.sql");
  execFileSync(databaseProgram("psql"), ["--quiet", "--set=ON_ERROR_STOP=1", "--dbname", url, "--file", dump], {
    stdio: ["ignore", "ignore", "inherit"],
  });
  const older = connect(url, 4);
  process.env["STEMZO_DATABASE"] = url;
  const { pool } = at;
  at = { ...at, ...older, url, close: async () => (await older.pool.end(), await pool.end()) };
  // As every start does.
  await migrateDatabase(older);
  expect(await upgradeDocuments(older.db)).toEqual([]);
});
afterAll(async () => {
  await at.close();
});

test("what an older version kept is there after an upgrade: the session, its history, its audio", async () => {
  const { document, revision } = await readState(at.db, expected.session);
  expect([document.name, revision]).toEqual([expected.name, expected.revision]);
  expect(
    document.tracks.map(({ id, name, faderDb, frozen, clips }) => ({
      ...{ id, name, faderDb, frozen: frozen !== null },
      clips: clips.map((c) => ({ id: c.id, start: c.start, frames: c.kind === "audio" ? c.frames : 0 })),
    })),
  ).toEqual(expected.tracks);
  const found = await survey(at.db, new AudioStore(at.dataRoot), true);
  expect([found.lost, found.damaged, found.packagesLost]).toEqual([[], [], []]);
  // Every state that it ever had can be read.
  for (let r = 0; r <= revision; r++) {
    const { tracks } = await documentAt(at.db, expected.session, r);
    if (r >= 1 && r <= 40) expect(tracks.find((t) => t.id === (r % 2 ? "bell" : "drum"))?.faderDb).toBe(-r / 4);
  }
});

test("it goes on from there: undone, redone, exported, and its old package proven", async () => {
  const child = await startRenderProcess(at);
  try {
    const again = await over(at, (await requestProof(at.db, expected.handoff)).id);
    expect(again).toMatchObject({ status: "done", result: { mark: "right" } });
    expect((await readHandoff(at.db, expected.handoff)).manifest.files.map((f) => f.role)).toContain("stem");
    const job = await requestExport(at.db, expected.session, { since: expected.handoff, full: true });
    expect((await over(at, job.id)).status).toBe("done");
    expect((await proven(at, job.id)).proof.verdict.mark).toBe("right");
    const back = await travel(at.db, expected.session, "undo");
    expect(back.label).toMatch(/freeze/i);
    const { document } = await readState(at.db, expected.session);
    expect(document.tracks.find((t) => t.id === "bell")?.frozen).toBeNull();
    await travel(at.db, expected.session, "redo");
  } finally {
    child.kill("SIGTERM");
    await ended(child);
  }
});
