import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { importFile } from "../../worker/import/import-file";

/**
 * A decoder goes on behind what it cannot decode, and all that follows would sound too early. Files of ffmpeg's coders,
 * damaged in all the ways that a disk or a line damages them.
 */
let folder: string;
const files = new Map<string, Buffer>();
const KINDS = ["opus", "ogg", "mp3"] as const;
type Kind = (typeof KINDS)[number];

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-damaged-"));
  const coders = { opus: ["libopus", "96k"], ogg: ["libvorbis", "128k"], mp3: ["libmp3lame", "128k"] } as const;
  for (const kind of KINDS) {
    const [coder, bits] = coders[kind];
    const source = "sine=frequency=440:sample_rate=48000:duration=3";
    // Short pages, so that there are many.
    const exact = [
      "-fflags",
      "+bitexact",
      "-flags:a",
      "+bitexact",
      ...(kind === "mp3" ? [] : ["-page_duration", "1e5"]),
    ];
    const path = join(folder, `sound.${kind}`);
    execFileSync(
      "ffmpeg",
      `-v error -f lavfi -i ${source} -ac 2 -c:a ${coder} -b:a ${bits}`.split(" ").concat(exact, path),
    );
    files.set(kind, readFileSync(path));
  }
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const whole = (kind: Kind): Buffer => Buffer.from(files.get(kind)!);
let count = 0;
/** The frames that are read of it. */
async function framesOf(kind: Kind, bytes: Uint8Array): Promise<number> {
  const from = join(folder, `${count++}.${kind}`);
  writeFileSync(from, bytes);
  const [made] = await importFile({ kind: "import", from, to: `${from}.wav`, name: "it", rate: 48000 }, () => true);
  rmSync(from);
  rmSync(`${from}.wav`);
  return made!.file.frames;
}

/** Where each page begins, and how long it is. RFC 3533, 6. */
function pagesOf(bytes: Buffer): readonly { readonly at: number; readonly bytes: number }[] {
  const pages: { at: number; bytes: number }[] = [];
  for (let at = 0; at < bytes.length;) {
    const table = bytes.subarray(at + 27, at + 27 + bytes[at + 26]!);
    const length = 27 + table.length + table.reduce((n, v) => n + v, 0);
    pages.push({ at, bytes: length });
    at += length;
  }
  return pages;
}
const without = (bytes: Buffer, at: number, length: number) =>
  Buffer.concat([bytes.subarray(0, at), bytes.subarray(at + length)]);

describe.each(["opus", "ogg"] as const)("an Ogg file (.%s)", (kind) => {
  test("is read whole, whatever stands behind its end", async () => {
    const tag = Buffer.concat([Buffer.from("TAG"), Buffer.alloc(125)]);
    for (const behind of [Buffer.alloc(0), tag, Buffer.alloc(70_000)])
      expect(await framesOf(kind, Buffer.concat([whole(kind), behind]))).toBe(144_000);
  });

  test("behind which another begins is refused: coders do not keep the place where one ends", async () => {
    await expect(framesOf(kind, Buffer.concat([whole(kind), whole(kind)]))).rejects.toThrow(
      `Another recording begins behind the first: each has to be a file of its own (at byte ${whole(kind).length})`,
    );
    // Nor where the first does not say that it ends: without its last page.
    const { at } = pagesOf(whole(kind)).at(-1)!;
    await expect(framesOf(kind, Buffer.concat([whole(kind).subarray(0, at), whole(kind)]))).rejects.toThrow(
      "Another recording begins",
    );
  });

  test("of which any bit is another is refused", async () => {
    const { length } = whole(kind);
    await fc.assert(
      fc.asyncProperty(fc.nat(8 * length - 1), async (bit) => {
        const bytes = whole(kind);
        bytes[bit >> 3]! ^= 1 << (bit & 7);
        await expect(framesOf(kind, bytes)).rejects.toThrow(MalformedFile);
      }),
      { numRuns: 60 },
    );
  });

  test("that lacks a page, or has a piece too much or too little, is refused with the place", async () => {
    const pages = pagesOf(whole(kind));
    expect(pages.length).toBeGreaterThan(20);
    for (const n of [4, 9, pages.length - 2]) {
      const { at, bytes } = pages[n]!;
      await expect(framesOf(kind, without(whole(kind), at, bytes))).rejects.toThrow(
        new RegExp(`page ${n}, is missing \\(at byte ${at}\\)`),
      );
      await expect(framesOf(kind, without(whole(kind), at + 40, 10))).rejects.toThrow(MalformedFile);
      const twice = Buffer.concat([whole(kind).subarray(0, at + bytes), whole(kind).subarray(at)]);
      await expect(framesOf(kind, twice)).rejects.toThrow(MalformedFile);
      await expect(framesOf(kind, whole(kind).subarray(0, at + 30))).rejects.toThrow(/audio is cut off/);
    }
  });

  test("taken from what is on air, headers first, is read from where it was joined", async () => {
    const pages = pagesOf(whole(kind));
    const from = pages[10]!.at;
    // Two pages of headers: what the stream is, and what it is called (Vorbis: and its tables).
    const joined = Buffer.concat([whole(kind).subarray(0, pages[2]!.at), whole(kind).subarray(from)]);
    const frames = await framesOf(kind, joined);
    expect(frames).toBeGreaterThan(48_000);
    expect(frames).toBeLessThan(144_000);
  });
});

describe("an MP3 file", () => {
  test("is read whole, whatever stands behind its end", async () => {
    const tag = Buffer.concat([Buffer.from("TAG"), Buffer.alloc(125)]);
    const frames = await framesOf("mp3", whole("mp3"));
    for (const behind of [tag, Buffer.alloc(5000), Buffer.alloc(70_000, 0x41)])
      expect(await framesOf("mp3", Buffer.concat([whole("mp3"), behind]))).toBe(frames);
  });

  test("whose decoder stumbles and goes on is refused, with the time", async () => {
    const bytes = whole("mp3");
    bytes.fill(0xff, bytes.length >> 1, (bytes.length >> 1) + 5000);
    await expect(framesOf("mp3", bytes)).rejects.toThrow(/is damaged at 1\.\d{3} s;/);
  });
});
