import { execFileSync } from "node:child_process";
import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import { noise } from "../../core/testing/listen";
import { backup, restore } from "../../scripts/backup";
import type { OwnDatabase } from "../../scripts/database";
import { startDatabase } from "../../scripts/database";
import { withDatabase } from "../../scripts/place";
import { AudioStore } from "../../server/audio/store";
import type { Connected } from "../../server/db/connect";
import { connect } from "../../server/db/connect";
import { migrateDatabase } from "../../server/db/migrate";
import { createSession, readState } from "../../server/services/sessions";
import { postSteps } from "../../server/services/steps";
import { survey } from "../../server/services/tidy";
import type { Fresh } from "../setup/fresh";
import { keep } from "../setup/fresh";

const CLIENTS = 8;
let folder: string;
let dataRoot: string;
let database: OwnDatabase;
let connected: Connected;
let at: Fresh;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-backup-"));
  // The database's own user has to come in.
  chmodSync(folder, 0o755);
  dataRoot = join(folder, "data");
  mkdirSync(dataRoot);
  database = await startDatabase(join(dataRoot, "database"), { disposable: true });
  connected = connect(database.url, CLIENTS + 2);
  await migrateDatabase(connected);
  const store = new AudioStore(dataRoot);
  await store.prepare(true);
  at = { ...connected, url: database.url, dataRoot, store, close: async () => undefined };
}, 120_000);
afterAll(async () => {
  await connected.pool.end();
  database.stop();
  rmSync(folder, { recursive: true, force: true });
});

test("a backup that is made while eight clients edit holds every edit acknowledged before its start, and every file", async () => {
  const mix = makeTrack({ id: "mix", name: "Mix", kind: "mix" });
  const acknowledged: { readonly session: string; readonly revision: number; readonly at: number }[] = [];
  let isWriting = true;
  const clients = Array.from({ length: CLIENTS }, async (_, c) => {
    const asset = await keep(at, `take ${c}`, noise(2000, c + 1, 0.5));
    const clip = makeAudioClip({ id: "c", asset: asset.id, start: 0, frames: 2000 });
    const track = makeTrack({ id: "t", name: "T", kind: "audio", output: "mix", clips: [clip] });
    const { id } = await createSession(
      at.db,
      makeSession({ name: `Song ${c}`, assets: [asset], tracks: [track, mix] }),
    );
    for (let revision = 0; isWriting; revision++) {
      const edit = { do: "set", in: "tracks", id: "t", patch: { faderDb: -((revision % 100) / 10) } } as const;
      await postSteps(at.db, id, revision, [{ id: `s${c}-${revision}`, step: { label: "Fader", edits: [edit] } }]);
      acknowledged.push({ session: id, revision: revision + 1, at: Date.now() });
    }
    return id;
  });
  await new Promise((r) => setTimeout(r, 700));
  const to = join(folder, "backup");
  const first = await backup(dataRoot, to);
  await new Promise((r) => setTimeout(r, 200));
  const second = await backup(dataRoot, to);
  isWriting = false;
  const ids = await Promise.all(clients);
  expect(readdirSync(to).filter((n) => n.endsWith(".dump"))).toHaveLength(2);
  expect(first.begun < second.begun).toBe(true);

  const place = join(folder, "elsewhere");
  await restore(to, place);
  await withDatabase(place, async ({ url }) => {
    const there = connect(url, 2);
    try {
      const begun = Date.parse(second.begun);
      const counted = acknowledged.filter((a) => a.at < begun);
      expect(counted.length).toBeGreaterThan(CLIENTS);
      for (const id of ids) {
        const last = Math.max(...counted.filter((a) => a.session === id).map((a) => a.revision));
        const { revision, document } = await readState(there.db, id);
        expect(revision).toBeGreaterThanOrEqual(last);
        expect(document.tracks[0]?.faderDb).toBeCloseTo(-(((revision - 1) % 100) / 10), 9);
      }
      const found = await survey(there.db, new AudioStore(place), true);
      expect([found.lost, found.unknown, found.damaged, found.packagesLost]).toEqual([[], [], [], []]);
      expect(found.files).toBeGreaterThanOrEqual(CLIENTS);
    } finally {
      await there.pool.end();
    }
  });
  // Only into a place where there is nothing, and only what is whole.
  await expect(restore(to, place)).rejects.toThrow(/not empty/);
  const dump = join(to, second.dump.name);
  const bytes = readFileSync(dump);
  bytes.writeUInt8((bytes[bytes.length >> 1] ?? 0) ^ 1, bytes.length >> 1);
  writeFileSync(dump, bytes);
  await expect(restore(to, join(folder, "third"))).rejects.toThrow(/damaged/);
  expect(existsSync(join(folder, "third"))).toBe(false);
  expect(execFileSync("find", [to, "-name", "*.unfinished"]).toString()).toBe("");
}, 180_000);
