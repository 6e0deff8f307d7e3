import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, inject, it } from "vitest";
import { makeAudioClip, makeSession, makeTrack } from "../../core/session/build";
import { noise } from "../../core/testing/listen";
import { backup, restore } from "../../scripts/backup";
import { AudioStore } from "../../server/audio/store";
import { connect } from "../../server/db/connect";
import { createSession, readState } from "../../server/services/sessions";
import { postSteps } from "../../server/services/steps";
import { survey } from "../../server/services/tidy";
import type { BucketServer } from "../setup/bucket-server";
import { bucketEnvironment, startBucketServer } from "../setup/bucket-server";
import type { Fresh } from "../setup/fresh";
import { fresh, keep } from "../setup/fresh";
import { toolsMissing } from "../setup/python-tools";

const missing = toolsMissing("bucket");
if (missing) console.warn(`Backups of a bucket are not tried: ${missing}`);

describe.skipIf(missing !== null)("a backup of a bucket and of a database run elsewhere", () => {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-backup-"));
  const before = { ...process.env };
  let server: BucketServer;
  let at: Fresh;

  beforeAll(async () => {
    server = await startBucketServer("stemzo");
    Object.assign(process.env, bucketEnvironment(server.address), { STEMZO_STORE: "s3://stemzo/here" });
    at = await fresh();
  });
  afterAll(async () => {
    for (const name of ["STEMZO_STORE", "STEMZO_DATABASE_URL"]) delete process.env[name];
    Object.assign(process.env, before);
    await at.close();
    await server.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  it("is restored into another bucket and another database, with every edit and every file", async () => {
    const asset = await keep(at, "take", noise(3000, 4, 0.5));
    const clip = makeAudioClip({ id: "c", asset: asset.id, start: 0, frames: 3000 });
    const tracks = [
      makeTrack({ id: "t", name: "T", kind: "audio", output: "mix", clips: [clip] }),
      makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
    ];
    const { id } = await createSession(at.db, makeSession({ name: "Song", assets: [asset], tracks }));
    const edit = { do: "set", in: "tracks", id: "t", patch: { faderDb: -3 } } as const;
    await postSteps(at.db, id, 0, [{ id: "s", step: { label: "Fader", edits: [edit] } }]);
    // Another machine has nothing of it on its own disk.
    process.env["STEMZO_DATABASE_URL"] = at.url;
    await backup(mkdtempSync(join(folder, "other-")), join(folder, "backup"));

    const name = "restored_from_a_bucket";
    const admin = connect(inject("databaseServer").replace(/NAME$/, "postgres"), 1);
    await admin.pool.query(`drop database if exists ${name}`);
    await admin.pool.query(`create database ${name}`);
    await admin.pool.end();
    const url = inject("databaseServer").replace(/NAME$/, name);
    Object.assign(process.env, { STEMZO_DATABASE_URL: url, STEMZO_STORE: "s3://stemzo/there" });
    const place = join(folder, "place");
    await restore(join(folder, "backup"), place);
    const there = connect(url, 2);
    try {
      const { document, revision } = await readState(there.db, id);
      expect([document.tracks[0]?.faderDb, revision]).toEqual([-3, 1]);
      const root = mkdtempSync(join(folder, "third-"));
      const store = new AudioStore(root);
      await store.prepare(true);
      const found = await survey(there.db, store, true);
      expect([found.lost, found.unknown, found.damaged, found.files]).toEqual([[], [], [], 1]);
    } finally {
      await there.pool.end();
    }
  });
});
