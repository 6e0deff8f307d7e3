import CFB from "cfb";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MemorySink, MemorySource, bytesAt } from "../bytes/bytes";
import type { CompoundStorage } from "./read";
import { openCompound } from "./read";
import { CompoundWriter } from "./write";

interface Tree {
  readonly streams: readonly (readonly [name: string, bytes: Uint8Array])[];
  readonly storages: readonly (readonly [name: string, tree: Tree])[];
}

const name = (prefix: string) =>
  fc.string({ minLength: 1, maxLength: 20 }).map((s) => prefix + s.replace(/[^A-Za-z0-9 {}-]/g, "x"));
const bytes = fc
  .oneof(fc.nat(300), fc.constantFrom(0, 63, 64, 65, 4095, 4096, 4097, 9000, 70_000))
  .map((n) => Uint8Array.from({ length: n }, (_, i) => (i * 31 + n) & 255));
const key = (entry: readonly [string, unknown]) => entry[0].toUpperCase();
const tree = (inner: fc.Arbitrary<Tree> | null): fc.Arbitrary<Tree> =>
  fc.record({
    streams: fc.uniqueArray(fc.tuple(name("s"), bytes), { maxLength: 12, selector: key }),
    storages: inner
      ? fc.uniqueArray(fc.tuple(name("d"), inner), { maxLength: 3, selector: key })
      : fc.constant<Tree["storages"]>([]),
  });
const trees = tree(tree(tree(null)));

function written(tree: Tree, sectorBytes: 512 | 4096): Uint8Array {
  const sink = new MemorySink();
  const file = new CompoundWriter(sink, sectorBytes, new Uint8Array(16).fill(7), new Uint8Array(16).fill(9));
  const put = (parent: number, { streams, storages }: Tree) => {
    for (const [n, b] of streams) file.stream(parent, n, b);
    for (const [n, t] of storages) put(file.storage(parent, n, new Uint8Array(16).fill(3)), t);
  };
  put(file.root, tree);
  file.finish();
  return sink.bytes().slice();
}

/** Bytes as they are compared: a list of so many numbers takes a hundred times as long. */
const told = (content: Uint8Array | readonly number[]): string => Buffer.from(content).toString("base64");

const opened = (storage: CompoundStorage): unknown => ({
  streams: Object.fromEntries(
    storage.streamNames.map((n) => {
      const stream = storage.stream(n)!;
      return [n, told(bytesAt(stream, 0, stream.size))];
    }),
  ),
  storages: Object.fromEntries(storage.storageNames.map((n) => [n, opened(storage.storage(n)!)])),
});
const expected = ({ streams, storages }: Tree): unknown => ({
  streams: Object.fromEntries(streams.map(([n, b]) => [n, told(b)])),
  storages: Object.fromEntries(storages.map(([n, t]) => [n, expected(t)])),
});

describe("compound files", () => {
  it("what is written is read back, by our own reader and by another", () => {
    fc.assert(
      fc.property(trees, fc.constantFrom(512 as const, 4096 as const), (tree, sectorBytes) => {
        const file = written(tree, sectorBytes);
        expect(opened(openCompound(new MemorySource(file)))).toEqual(expected(tree));
        const other = CFB.read(Buffer.from(file), { type: "buffer" });
        const streams = (at: string, t: Tree): readonly (readonly [string, Uint8Array])[] => [
          ...t.streams.map(([n, b]) => [`${at}${n}`, b] as const),
          ...t.storages.flatMap(([n, inner]) => streams(`${at}${n}/`, inner)),
        ];
        for (const [path, content] of streams("Root Entry/", tree)) {
          const index = other.FullPaths.indexOf(path);
          expect(index).toBeGreaterThanOrEqual(0);
          expect(told(other.FileIndex[index]?.content ?? [])).toBe(told(content));
        }
      }),
      { numRuns: 60 },
    );
  });
});
