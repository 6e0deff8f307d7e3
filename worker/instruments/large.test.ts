import { closeSync, ftruncateSync, mkdtempSync, openSync, rmSync, writeSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { tinyFont } from "../../core/testing/tiny-font";
import { makeInstrument, readInstruments } from "./make";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-large-font-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const BEHIND = 2 * 1024 ** 3;

test("a SoundFont of 2 GB is opened by its lists: neither its size nor its samples are in memory", async () => {
  const small = Buffer.from(tinyFont());
  const smpl = small.indexOf("smpl");
  const bytes = small.readUInt32LE(smpl + 4);
  const sdta = small.lastIndexOf("LIST", smpl);
  const head = Buffer.from(small.subarray(0, smpl + 8 + bytes));
  head.writeUInt32LE(small.readUInt32LE(4) + BEHIND, 4);
  head.writeUInt32LE(small.readUInt32LE(sdta + 4) + BEHIND, sdta + 4);
  head.writeUInt32LE(bytes + BEHIND, smpl + 4);
  const path = join(folder, "large.sf2");
  const file = openSync(path, "w");
  writeSync(file, head, 0, head.length, 0);
  // Two gigabytes that no sample lies in, of which the disk has nothing.
  ftruncateSync(file, head.length + BEHIND);
  const rest = small.subarray(smpl + 8 + bytes);
  writeSync(file, rest, 0, rest.length, head.length + BEHIND);
  closeSync(file);

  const before = process.memoryUsage().rss;
  const found = await readInstruments({ kind: "read instruments", path });
  expect(found.presets.map((p) => p.name)).toEqual(["Pluck", "Reed", "Lamp kit"]);
  const to = join(folder, "sample");
  const made = await makeInstrument(
    { kind: "make instrument", path, preset: 1, id: "i", attenuation: 1, to },
    () => true,
  );
  expect(made.samples.map((s) => s.name)).toEqual(["Reed"]);
  expect((process.memoryUsage().rss - before) / 2 ** 20).toBeLessThan(256);
});
