import { readFileSync, readdirSync } from "node:fs";
import { Readable } from "node:stream";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { noise } from "../../core/testing/listen";
import { fresh, writeWav } from "../../tests/setup/fresh";
import type { Fresh } from "../../tests/setup/fresh";
import { sha256OfFile } from "../audio/store";
import { Refusal } from "../fault";
import { readOverview, takeUpload } from "./audio";

let at: Fresh;
beforeAll(async () => { at = await fresh(); });
afterAll(() => at.close());
const unfinished = () => readdirSync(`${at.dataRoot}/unfinished`);

describe("uploads", () => {
  test("a WAV file is kept under its hash with its facts, and the same file is kept once", async () => {
    const path = `${at.dataRoot}/source.wav`;
    writeWav(path, noise(30000, 4, 0.5), 44100);
    const bytes = readFileSync(path);
    const first = await takeUpload(at.db, Readable.from([bytes.subarray(0, 1000), bytes.subarray(1000)]));
    expect(first).toMatchObject({ hash: await sha256OfFile(path), rate: 44100, channels: 2, depth: "32f", frames: 30000, bytes: bytes.length });
    expect(first.measures.peakDb).toBeCloseTo(-6.02, 1);
    expect(readFileSync(at.store.path(first.hash)).equals(bytes)).toBe(true);
    expect(await takeUpload(at.db, Readable.from([bytes]))).toEqual(first);
    expect((await readOverview(at.db, first.hash)).length).toBe(2 * Math.ceil(30000 / 256));
    expect(unfinished()).toEqual([]);
  });

  test.each<[string, Buffer]>([
    ["nothing", Buffer.alloc(0)],
    ["text", Buffer.from("this is no audio at all, but long enough to look at")],
    ["a cut-off file", Buffer.from("RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x02\x00\x80\xbb\x00\x00\x00\xee\x02\x00\x04\x00\x10\x00data\xff\xff\x00\x00", "latin1")],
  ])("%s is refused with the fault and leaves nothing", async (_name, bytes) => {
    const refusal = await takeUpload(at.db, Readable.from([bytes])).catch((e: unknown) => e);
    expect(refusal).toBeInstanceOf(Refusal);
    expect((refusal as Refusal).status).toBe(422);
    expect((refusal as Refusal).fault.problems[0]!.what.length).toBeGreaterThan(10);
    expect(unfinished()).toEqual([]);
  });

  test("an upload that breaks off leaves nothing", async () => {
    const broken = Readable.from((async function* () {
      yield Buffer.from("RIFF");
      throw new Error("the line went dead");
    })());
    await expect(takeUpload(at.db, broken)).rejects.toThrow("the line went dead");
    expect(unfinished()).toEqual([]);
  });
});
