import { createHash } from "node:crypto";
import { mkdtempSync, rmSync, truncateSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import { randomBits } from "../../core/random";
import { Digests } from "./digests";

const MEGABYTE = 1 << 20;
/** Places are so far apart, and a piece is so long. */
const STEP = 3 << 17;

let folder = "";
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-digests-"));
});
afterAll(() => rmSync(folder, { recursive: true }));

const plain = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");
const written = (name: string, bytes: Uint8Array): string => {
  const path = join(folder, name);
  writeFileSync(path, bytes);
  return path;
};
/** Bytes that do not repeat. */
const noise = (length: number, seed: number): Uint8Array => {
  const words = new Uint32Array(Math.ceil(length / 4));
  for (let i = 0; i < words.length; i++) words[i] = randomBits(seed, i);
  return new Uint8Array(words.buffer, 0, length);
};

test("a file that begins as an earlier one has the digest of all its bytes, and only its end is hashed", () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 4 * MEGABYTE }),
      fc.integer({ min: 0, max: 4 * MEGABYTE }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.nat(1000),
      (length, nextLength, part, start) => {
        const digests = new Digests();
        const before = noise(length, 1);
        // In a package the audio of a file stands behind other bytes.
        const path = written("before", Buffer.concat([noise(start, 3), before]));
        expect(digests.of(written("alone", before), null)).toBe(plain(before));
        expect(digests.hashed).toBe(length);
        const same = Math.floor(part * Math.min(length, nextLength));
        const next = noise(nextLength, 2);
        next.set(before.subarray(0, same));
        const earlier = { sha256: plain(before), path, start };
        digests.hashed = 0;
        expect(digests.of(written("next", next), earlier)).toBe(plain(next));
        expect(digests.hashed).toBeLessThanOrEqual(nextLength - same + STEP);
        // What goes on from it in turn knows what both share.
        digests.hashed = 0;
        const again = { sha256: plain(next), path: join(folder, "next"), start: 0 };
        expect(digests.of(join(folder, "next"), again)).toBe(plain(next));
        expect(digests.hashed).toBeLessThanOrEqual(STEP);
      },
    ),
    { numRuns: 40 },
  );
});

test("an earlier file that is gone, damaged, cut short or unknown costs time, and never a wrong digest", () => {
  const digests = new Digests();
  const bytes = noise(3 * MEGABYTE, 1);
  const path = written("whole", bytes);
  const earlier = { sha256: digests.of(path, null), path: join(folder, "earlier"), start: 0 };
  const hashedWith = (of: typeof earlier): number => {
    digests.hashed = 0;
    expect(digests.of(path, of)).toBe(plain(bytes));
    return digests.hashed;
  };
  rmSync(earlier.path, { force: true });
  expect(hashedWith(earlier)).toBe(bytes.length);
  const damaged = bytes.slice();
  damaged[MEGABYTE] = (damaged[MEGABYTE] ?? 0) ^ 1;
  written("earlier", damaged);
  expect(hashedWith(earlier)).toBeGreaterThanOrEqual(2 * MEGABYTE);
  written("earlier", bytes);
  truncateSync(earlier.path, MEGABYTE);
  expect(hashedWith(earlier)).toBeGreaterThanOrEqual(2 * MEGABYTE);
  expect(hashedWith({ ...earlier, sha256: plain(damaged) })).toBe(bytes.length);
  written("earlier", bytes);
  expect(hashedWith(earlier)).toBeLessThanOrEqual(STEP);
});

test("of files beyond those that are remembered, the ones hashed last are known", () => {
  const digests = new Digests();
  const files = Array.from({ length: 140 }, (_, i) => noise(MEGABYTE / 2 + 1, 10 + i));
  const paths = files.map((bytes, i) => written(`many-${i}`, bytes));
  const hashes = paths.map((path) => digests.of(path, null));
  const hashedAgain = (i: number): number => {
    digests.hashed = 0;
    digests.of(paths[i] ?? "", { sha256: hashes[i] ?? "", path: paths[i] ?? "", start: 0 });
    return digests.hashed;
  };
  expect(hashedAgain(0)).toBe(MEGABYTE / 2 + 1);
  expect(hashedAgain(139)).toBeLessThanOrEqual(STEP);
});
