import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, expect, test, vi } from "vitest";
import { ZipFile } from "yazl";
import { MemorySource } from "../../core/formats/bytes/bytes";
import { NoRoom } from "../audio/room";
import { ROOM_KEPT_BYTES } from "../limits";
import { FileSink } from "../audio/file-bytes";
import { openZip } from "./open-zip";

const disk = vi.hoisted(() => ({ free: Infinity }));
vi.mock("node:fs", async (original) => ({
  ...(await original<object>()),
  statfsSync: () => ({ bavail: disk.free, bsize: 1 }),
}));

const folder = mkdtempSync(join(tmpdir(), "stemzo-bounds-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function zipped(name: string, content: Buffer): Promise<Uint8Array> {
  const zip = new ZipFile();
  zip.addBuffer(content, name, { compress: true });
  zip.end();
  const parts: Buffer[] = [];
  for await (const part of zip.outputStream) parts.push(part as Buffer);
  return Buffer.concat(parts);
}

test("a ZIP is not unpacked into the room that is kept free, also where that goes while it is unpacked", async () => {
  const [entry] = await openZip(new MemorySource(await zipped("zeros.wav", Buffer.alloc(100 << 20))));
  disk.free = ROOM_KEPT_BYTES + (99 << 20);
  await expect(entry?.unpack(join(folder, "a"))).rejects.toThrow(NoRoom);
  disk.free = ROOM_KEPT_BYTES + (200 << 20);
  let pieces = 0;
  const unpacking = entry?.unpack(join(folder, "b"), () => {
    if (++pieces === 10) disk.free = ROOM_KEPT_BYTES - 1;
  });
  await expect(unpacking).rejects.toThrow(NoRoom);
  expect(readFileSync(join(folder, "b")).length).toBeLessThan(64 << 20);
});

test("a file that is written stops before the room that is kept free", () => {
  disk.free = ROOM_KEPT_BYTES + (10 << 20);
  const sink = new FileSink(join(folder, "c"));
  const piece = new Uint8Array(1 << 20);
  sink.write(piece);
  disk.free = ROOM_KEPT_BYTES - 1;
  expect(() => {
    for (let i = 0; i < 40; i++) sink.write(piece);
  }).toThrow(NoRoom);
  sink.abandon();
  disk.free = Infinity;
});

test("a text that unpacks to far more than any session's does is refused before it is read", async () => {
  const bomb = Buffer.from(`<Project>${"<a/>".repeat(2_000_000)}</Project>`);
  const [entry] = await openZip(new MemorySource(await zipped("project.xml", bomb)));
  await expect(entry?.read(64 << 20)).rejects.toThrow(/times its size/);
  const notes = Array.from({ length: 40_000 }, (_, i) => `<Note time="${i / 7}" key="${(i * 31) % 128}"/>`).join("");
  const [honest] = await openZip(new MemorySource(await zipped("project.xml", Buffer.from(notes))));
  expect((await honest?.read(64 << 20))?.length).toBe(notes.length);
});
