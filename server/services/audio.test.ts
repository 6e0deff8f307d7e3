import { readFileSync, readdirSync, statfsSync, utimesSync } from "node:fs";
import { Readable } from "node:stream";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { noise } from "../../core/testing/listen";
import { fresh, writeWav } from "../../tests/setup/fresh";
import type { Fresh } from "../../tests/setup/fresh";
import { sha256OfFile } from "../audio/files";
import { Refusal } from "../fault";
import { UPLOAD_BYTES } from "../limits";
import { keepUpload, readOnsets, readOverview, readSamples, refuseUnknownUploads, takeUpload } from "./audio";

let at: Fresh;
beforeAll(async () => {
  at = await fresh();
});
afterAll(() => at.close());
const unfinished = () => readdirSync(`${at.dataRoot}/unfinished`);

describe("uploads", () => {
  test("a WAV file is kept under its hash with its facts, and the same file is kept once", async () => {
    const path = `${at.dataRoot}/source.wav`;
    writeWav(path, noise(30000, 4, 0.5), 44100);
    const bytes = readFileSync(path);
    const first = await takeUpload(at.db, Readable.from([bytes.subarray(0, 1000), bytes.subarray(1000)]));
    expect(first).toMatchObject({
      hash: await sha256OfFile(path),
      rate: 44100,
      channels: 2,
      depth: "32f",
      frames: 30000,
      bytes: bytes.length,
    });
    expect(first.measures.peakDb).toBeCloseTo(-6.02, 1);
    expect(readFileSync(at.store.path(first.hash)).equals(bytes)).toBe(true);
    expect(await takeUpload(at.db, Readable.from([bytes]))).toEqual(first);
    expect((await readOverview(at.db, first.hash)).length).toBe(2 * Math.ceil(30000 / 256));
    expect(unfinished()).toEqual([]);
  });

  test.each<[string, Buffer]>([
    ["nothing", Buffer.alloc(0)],
    ["text", Buffer.from("this is no audio at all, but long enough to look at")],
    [
      "a cut-off file",
      Buffer.from(
        "RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x02\x00\x80\xbb\x00\x00\x00\xee\x02\x00\x04\x00\x10\x00data\xff\xff\x00\x00",
        "latin1",
      ),
    ],
  ])("%s is refused with the fault and leaves nothing", async (_name, bytes) => {
    const refusal = await takeUpload(at.db, Readable.from([bytes])).catch((e: unknown) => e);
    expect(refusal).toBeInstanceOf(Refusal);
    expect((refusal as Refusal).status).toBe(422);
    expect((refusal as Refusal).fault.problems[0]!.what.length).toBeGreaterThan(10);
    expect(unfinished()).toEqual([]);
  });

  test("what does not fit, or is more than may be sent, is refused before its first byte is read", async () => {
    let read = 0;
    const body = () =>
      Readable.from(
        (async function* () {
          read++;
          yield Buffer.alloc(1);
        })(),
      );
    const { bavail, bsize } = statfsSync(at.dataRoot);
    const tooMuch = Math.min(bavail * bsize, UPLOAD_BYTES);
    const full = (await keepUpload(body(), tooMuch).catch((e: unknown) => e)) as Refusal;
    expect(full.status).toBe(507);
    expect(full.fault.what).toMatch(/^There is no room for this file: [\d.]+ [GM]B can be written, and it has/);
    const most = (await keepUpload(body(), UPLOAD_BYTES + 1).catch((e: unknown) => e)) as Refusal;
    expect([most.status, most.fault.what]).toEqual([413, "A file may have 274.9 GB at most."]);
    expect(read).toBe(0);
    expect(unfinished()).toEqual([]);
  });

  test("an upload that breaks off leaves nothing", async () => {
    const broken = Readable.from(
      (async function* () {
        yield Buffer.from("RIFF");
        throw new Error("the line went dead");
      })(),
    );
    await expect(takeUpload(at.db, broken)).rejects.toThrow("the line went dead");
    expect(unfinished()).toEqual([]);
  });
});

describe("files that wait to be brought in", () => {
  const waiting = () => readdirSync(`${at.dataRoot}/uploads`);

  test("any file is kept as it is, whatever is in it; an empty one is refused, one that is not there is named; a day later a start sweeps it", async () => {
    const { upload, bytes } = await keepUpload(Readable.from([Buffer.from("anything"), Buffer.from(" at all")]));
    expect([bytes, readFileSync(at.store.uploads.path(upload), "utf8")]).toEqual([15, "anything at all"]);
    await expect(keepUpload(Readable.from([Buffer.alloc(0)]))).rejects.toBeInstanceOf(Refusal);
    expect([waiting(), unfinished()]).toEqual([[upload], []]);
    await refuseUnknownUploads([{ upload, name: "here.wav" }]);
    const refusal = (await refuseUnknownUploads([
      { upload, name: "here.wav" },
      { upload: "0b0c0a53-7f6a-4d0e-9d5e-3b2f6d8f3c11", name: "gone.wav" },
    ]).catch((e: unknown) => e)) as Refusal;
    expect(refusal.fault.problems.map((p) => p.what)).toEqual([expect.stringContaining("gone.wav")]);
    await at.store.prepare(true);
    expect(waiting()).toEqual([upload]);
    const long = Date.now() / 1000 - 90_000;
    utimesSync(at.store.uploads.path(upload), long, long);
    await at.store.prepare(true);
    expect(waiting()).toEqual([]);
  });
});

describe("a stored file, looked into", () => {
  test("samples of its left channel, as many as there are, and where its sounds begin", async () => {
    const heard = { left: new Float32Array(48_000), right: new Float32Array(48_000) };
    for (const start of [9600, 24_000])
      for (let i = 0; i < 4800; i++) heard.left[start + i] = 0.7 * Math.cos(i / 3) * Math.exp(-i / 900);
    const path = `${at.dataRoot}/hits.wav`;
    writeWav(path, heard);
    const { hash } = await takeUpload(at.db, Readable.from([readFileSync(path)]));
    const found = await readOnsets(hash);
    expect(found.length).toBe(2);
    [9600, 24_000].forEach((start, i) => expect(Math.abs(found[i]! - start)).toBeLessThanOrEqual(48));
    const bytes = await readSamples(hash, { from: 9600, frames: 4, side: "left" });
    expect([...new Float32Array(bytes.buffer)]).toEqual([...heard.left.subarray(9600, 9604)]);
    expect((await readSamples(hash, { from: 47_998, frames: 100, side: "left" })).length).toBe(8);
    expect((await readSamples(hash, { from: 99_999, frames: 100, side: "left" })).length).toBe(0);
    await expect(readSamples("../../etc/passwd", { from: 0, frames: 1, side: "left" })).rejects.toThrow(Refusal);
    await expect(readOnsets("0".repeat(64))).rejects.toBeInstanceOf(Refusal);
  });
});
