import { randomUUID } from "node:crypto";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { inject } from "vitest";
import { WavWriter } from "../../core/formats/wav/write";
import type { Asset } from "../../core/session/document";
import type { Heard } from "../../core/testing/listen";
import { inspectWav } from "../../server/audio/facts";
import { FileSink } from "../../server/audio/file-bytes";
import { AudioStore } from "../../server/audio/store";
import { connect } from "../../server/db/connect";
import type { Connected } from "../../server/db/connect";
import { recordAudio } from "../../server/services/audio";

export interface Fresh extends Connected {
  readonly url: string;
  readonly dataRoot: string;
  readonly store: AudioStore;
  close(): Promise<void>;
}

/** An empty database of today's schema and an empty audio store, for one test file. */
export async function fresh(): Promise<Fresh> {
  const server = inject("databaseServer");
  const name = `t_${randomUUID().replaceAll("-", "")}`;
  const admin = connect(server.replace(/NAME$/, "postgres"), 1);
  await admin.pool.query(`create database ${name} template template_stemzo`);
  await admin.pool.end();
  const url = server.replace(/NAME$/, name);
  const dataRoot = mkdtempSync(join(tmpdir(), "stemzo-data-"));
  process.env["STEMZO_DATABASE"] = url;
  process.env["STEMZO_DATA"] = dataRoot;
  const connected = connect(url, 4);
  const store = new AudioStore(dataRoot);
  await store.prepare(true);
  return {
    ...connected,
    url,
    dataRoot,
    store,
    close: async () => {
      await connected.pool.end();
      rmSync(dataRoot, { recursive: true, force: true });
    },
  };
}

/** Writes audio as a float WAV file. */
export function writeWav(path: string, { left, right }: Heard, rate = 48000): void {
  const sink = new FileSink(path);
  const writer = new WavWriter(sink, { format: { rate, channels: 2, depth: "32f" }, bext: null, ditherSeed: null });
  writer.write(left, right, 0, left.length);
  writer.finish();
  sink.close();
}

/** Puts audio into the store and returns the asset a document names it by. */
export async function keep({ db, store }: Fresh, name: string, heard: Heard): Promise<Asset> {
  const path = store.unfinished();
  writeWav(path, heard);
  const facts = await inspectWav(path);
  const { hash } = await recordAudio(db, await store.adopt(path), facts);
  return {
    id: hash,
    name,
    frames: facts.frames,
    rate: facts.format.rate,
    channels: facts.format.channels,
    origin: "imported",
  };
}
