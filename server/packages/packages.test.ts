import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { createWriteStream, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import type { Readable } from "node:stream";
import { crc32 } from "node:zlib";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { ZipFile } from "yazl";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { WavReader } from "../../core/formats/wav/read";
import type { Manifest } from "../../core/delivery/manifest";
import { noise } from "../../core/testing/listen";
import { writeWav } from "../../tests/setup/fresh";
import { sha256OfFile } from "../audio/files";
import { openPackage } from "./read";
import { writePackage } from "./write";
import { ZipWriter } from "./zip";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "stemzo-packages-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const manifestFor = (files: readonly { name: string; bytes: number; sha256: string }[]): Manifest => ({
  format: "stemzo-manifest",
  version: 2,
  session: { id: "s", name: "S", revision: 3, rate: 48000 },
  folder: "Übung / 1".replace("/", "-"),
  rate: 48000,
  depth: "32f",
  dither: false,
  frames: 5000,
  range: { from: 0, to: 5000, tail: "none", end: null },
  ends: "equal",
  silence: { bars: 0, frames: 0 },
  whole: "before its chain",
  since: null,
  markers: [],
  notes: "",
  receiver: "",
  timeReference: 0,
  leadIn: 0,
  tempo: [{ tick: 0, bpm: 96, shape: "hold" }],
  meter: [{ bar: 1, numerator: 4, denominator: 4 }],
  files: files.map((f) => ({
    ...f,
    title: f.name,
    role: "stem" as const,
    sources: ["S"],
    tap: "group",
    channels: 2,
    frames: 5000,
    fingerprint: "f",
    format: "wav" as const,
    fold: null,
    keepsStereo: false,
    key: "",
  })),
  sessionFiles: [],
  papers: [],
});

const sha256 = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");
const papers = [{ name: "S sheet.html", role: "sheet" as const, bytes: Buffer.from("<html/>") }];

async function packed(
  name: string,
  count: number,
): Promise<{
  zip: string;
  sources: readonly { name: string; path: string; start: number; bytes: number; sha256: string }[];
}> {
  const sources = await Promise.all(
    Array.from({ length: count }, async (_, i) => {
      const path = join(folder, `${name}-${i}.wav`);
      writeWav(path, noise(5000, i + 1, 0.5));
      return {
        name: `0${i} Träck ${i}.wav`,
        path,
        start: 0,
        bytes: readFileSync(path).length,
        sha256: await sha256OfFile(path),
      };
    }),
  );
  const zip = join(folder, `${name}.zip`);
  await writePackage(
    zip,
    sources,
    papers,
    {
      ...manifestFor(sources.map(({ name: n, bytes, sha256 }) => ({ name: n, bytes, sha256 }))),
      papers: papers.map((d) => ({ name: d.name, role: d.role, bytes: d.bytes.length, sha256: sha256(d.bytes) })),
    },
    { date: new Date("2026-11-24T10:00:00Z"), signal: new AbortController().signal, onBytes: () => undefined },
  );
  return { zip, sources };
}

describe("packages", () => {
  test("what is packed is read back in place: names, bytes, hashes, audio", async () => {
    const { zip, sources } = await packed("whole", 3);
    const back = await openPackage(zip);
    expect([...back.entries.keys()]).toEqual([...sources, ...papers].map((s) => s.name));
    expect(await back.entries.get("S sheet.html")!.sha256()).toBe(sha256(papers[0]!.bytes));
    expect(back.hashListAgrees).toBe(true);
    for (const s of sources) {
      const entry = back.entries.get(s.name)!;
      expect(await entry.sha256()).toBe(s.sha256);
      const bytes = new Uint8Array(entry.source.size);
      entry.source.read(0, bytes);
      expect(Buffer.from(bytes).equals(readFileSync(s.path))).toBe(true);
      expect(WavReader.open(entry.source).frames).toBe(5000);
      expect(() => entry.source.read(entry.source.size - 1, new Uint8Array(2))).toThrow(MalformedFile);
    }
    back.close();
  });

  test("its list of hashes is one that others check, and one that says something else is told", async () => {
    const { zip } = await packed("sums", 3);
    const out = join(folder, "unpacked");
    execFileSync("unzip", ["-q", zip, "-d", out]);
    const inner = join(out, readdirSync(out)[0]!);
    const checked = execFileSync("sha256sum", ["--strict", "-c", "SHA256SUMS"], { cwd: inner, encoding: "utf8" });
    expect(
      checked
        .trim()
        .split("\n")
        .map((line) => line.replace(/.*: /, "")),
    ).toEqual(["OK", "OK", "OK", "OK", "OK"]);
    writeFileSync(join(inner, "SHA256SUMS"), readFileSync(join(inner, "SHA256SUMS"), "utf8").replace(/^./, "x"));
    const again = new ZipFile();
    for (const name of readdirSync(inner)) again.addFile(join(inner, name), `S/${name}`, { compress: false });
    again.end();
    await pipeline(again.outputStream as Readable, createWriteStream(join(folder, "told.zip")));
    const told = await openPackage(join(folder, "told.zip"));
    expect(told.hashListAgrees).toBe(false);
    told.close();
  });

  test.each([
    ["small", undefined],
    ["as large ones are", 1000],
  ])("other readers take it: %s", async (name, largeFrom) => {
    const { sources } = await packed(`readers ${name}`, 3);
    const path = join(folder, `readers-${name}-own.zip`);
    const zip = await ZipWriter.create(path, new Date("2026-11-24T10:00:02Z"), largeFrom);
    for (const s of sources) await zip.addFile(`Ü/${s.name}`, s, () => undefined);
    await zip.addBytes("Ü/empty.txt", new Uint8Array(0));
    await zip.finish();
    expect(execFileSync("unzip", ["-t", path], { encoding: "utf8" })).toContain("No errors detected");
    const names = [...sources.map((s) => `Ü/${s.name}`), "Ü/empty.txt"];
    expect(execFileSync("7z", ["t", path], { encoding: "utf8" })).toContain("Everything is Ok");
    const listed = execFileSync("7z", ["l", "-slt", path], { encoding: "utf8", env: { ...process.env, TZ: "UTC" } });
    const told = (key: string) => [...listed.matchAll(new RegExp(`^${key} = (.*)$`, "gm"))].map((m) => m[1]);
    expect(told("Path").slice(1)).toEqual(names);
    expect(told("Size")).toEqual([...sources.map((s) => String(s.bytes)), "0"]);
    expect(new Set(told("Modified").map((m) => m?.slice(0, 19)))).toEqual(new Set(["2026-11-24 10:00:02"]));
  });

  test("a package of the first version is read as one that has nothing beside its audio", async () => {
    const { papers: none, ...rest } = manifestFor([]);
    expect(none).toEqual([]);
    const zip = new ZipFile();
    zip.addBuffer(Buffer.from(JSON.stringify({ ...rest, version: 1 })), "S/manifest.json");
    zip.end();
    await pipeline(zip.outputStream as Readable, createWriteStream(join(folder, "first.zip")));
    const first = await openPackage(join(folder, "first.zip"));
    expect(first.manifest).toEqual({ ...rest, version: 2, papers: [] });
    expect(first.hashListAgrees).toBeNull();
    first.close();
  });

  test("a write that is cancelled fails", async () => {
    const { sources } = await packed("base", 1);
    const stop = new AbortController();
    stop.abort();
    await expect(
      writePackage(join(folder, "cut.zip"), sources, [], manifestFor([]), {
        date: new Date(),
        signal: stop.signal,
        onBytes: () => undefined,
      }),
    ).rejects.toThrow();
  });

  test("a file that vanished while packing is an error, not an empty entry", async () => {
    await expect(
      writePackage(
        join(folder, "gone.zip"),
        [{ name: "x.wav", path: join(folder, "nowhere.wav"), start: 0, bytes: 10 }],
        [],
        manifestFor([]),
        { date: new Date(), signal: new AbortController().signal, onBytes: () => undefined },
      ),
    ).rejects.toThrow(/ENOENT|no such file/);
  });
});

describe("packages that are not right", () => {
  const zipOf = async (name: string, fill: (zip: ZipFile) => void): Promise<string> => {
    const path = join(folder, name);
    const zip = new ZipFile();
    fill(zip);
    zip.end();
    await pipeline(zip.outputStream as Readable, createWriteStream(path));
    return path;
  };

  test.each<[string, (zip: ZipFile) => void, RegExp]>([
    ["no manifest", (z) => z.addBuffer(Buffer.from("x"), "S/a.wav", { compress: false }), /no manifest/],
    ["a manifest that is not JSON", (z) => z.addBuffer(Buffer.from("{"), "S/manifest.json"), /not JSON/],
    [
      "a manifest of another shape",
      (z) => z.addBuffer(Buffer.from('{"format": "stemzo-manifest", "version": 3}'), "S/manifest.json"),
      /not valid: version/,
    ],
    [
      "audio that is compressed",
      (z) => z.addBuffer(Buffer.alloc(5000), "S/a.wav", { compress: true }),
      /"a.wav" is compressed/,
    ],
  ])("%s is refused by name", async (name, fill, message) => {
    await expect(openPackage(await zipOf(`${name}.zip`, fill))).rejects.toThrow(message);
  });

  test("something that is no ZIP, or a ZIP cut off, is refused", async () => {
    const text = join(folder, "text.zip");
    writeFileSync(text, "this is not a package ".repeat(100));
    await expect(openPackage(text)).rejects.toThrow();
    const { zip } = await packed("cutoff", 1);
    const bytes = readFileSync(zip);
    for (const part of [0.2, 0.7, 0.99]) {
      writeFileSync(text, bytes.subarray(0, Math.floor(bytes.length * part)));
      await expect(openPackage(text)).rejects.toThrow();
    }
  });
});

test("an archive whose files another writer puts into their places is the same to the byte", async () => {
  const date = new Date("2026-11-24T10:00:02Z");
  // Of what is larger than this the sizes stand where those of large files do.
  for (const largeFrom of [2 ** 32 - 1, 3000]) {
    const entries = [1, 4000, 70_000].map((bytes, i) => {
      const path = join(folder, `placed-${i}`);
      writeFileSync(path, Buffer.alloc(bytes, i + 1));
      return { name: `Größe/${i} größer.wav`, bytes, path, sum: crc32(readFileSync(path)) };
    });
    const [whole, around] = [join(folder, `whole-${largeFrom}.zip`), join(folder, `around-${largeFrom}.zip`)];
    const one = await ZipWriter.create(whole, date, largeFrom);
    for (const { name, path, bytes } of entries) await one.addFile(name, { path, start: 0, bytes }, () => undefined);
    await one.addBytes("last.txt", Buffer.from("last"));
    await one.finish();
    const places = ZipWriter.placesOf(entries, largeFrom);
    const empty = Buffer.alloc((places.at(-1) ?? 0) + 70_000);
    for (const [i, { path }] of entries.entries()) readFileSync(path).copy(empty, places[i]);
    writeFileSync(around, empty);
    const other = await ZipWriter.around(around, date, largeFrom);
    for (const { name, bytes, sum } of entries) await other.addPlaced(name, bytes, sum);
    await other.addBytes("last.txt", Buffer.from("last"));
    await other.finish();
    expect(readFileSync(around).equals(readFileSync(whole))).toBe(true);
  }
});
