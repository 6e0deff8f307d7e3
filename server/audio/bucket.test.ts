import { createHash, randomBytes } from "node:crypto";
import { existsSync, mkdtempSync, readFileSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { PutObjectCommand, S3Client } from "@aws-sdk/client-s3";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { MissingAudio } from "../../core/engine/library";
import type { BucketServer } from "../../tests/setup/bucket-server";
import { bucketEnvironment, startBucketServer } from "../../tests/setup/bucket-server";
import { toolsMissing } from "../../tests/setup/python-tools";
import { Bucket, DamagedObject } from "./bucket";
import { AudioStore } from "./store";

const missing = toolsMissing("bucket");
if (missing) console.warn(`Tests of files in a bucket are skipped: ${missing}`);

const sha256 = (bytes: Buffer) => createHash("sha256").update(bytes).digest("hex");

describe.skipIf(missing !== null)("a store in a bucket, from two machines", () => {
  let server: BucketServer;
  let client: S3Client;
  const roots = ["a", "b"].map((name) => mkdtempSync(join(tmpdir(), `stemzo-${name}-`)));
  let [a, b, bucket]: readonly [AudioStore, AudioStore, Bucket] = [] as never;

  beforeAll(async () => {
    server = await startBucketServer("stemzo");
    Object.assign(process.env, bucketEnvironment(server.address));
    bucket = Bucket.at("s3://stemzo/studio/");
    client = new S3Client({ region: "us-east-1", endpoint: server.address, forcePathStyle: true });
    [a, b] = roots.map((root) => new AudioStore(root, bucket)) as [AudioStore, AudioStore];
    await a.prepare(true);
    await b.prepare(true);
  });
  afterAll(async () => {
    for (const root of roots) rmSync(root, { recursive: true, force: true });
    await server?.stop();
  });

  const keep = async (store: AudioStore, bytes: Buffer): Promise<string> => {
    const path = store.unfinished();
    writeFileSync(path, bytes);
    return store.adopt(path);
  };
  const copiesOf = async (hash: string) => {
    const keys: string[] = [];
    for await (const { key } of bucket.list(`audio/${hash}/`)) keys.push(key);
    return keys;
  };

  it("has on the one what was kept on the other, byte for byte, sent at once or in parts", async () => {
    for (const size of [0, 1, 70_000, (16 << 20) + 1, 40 << 20]) {
      const bytes = randomBytes(size);
      const hash = await keep(a, bytes);
      expect(hash).toBe(sha256(bytes));
      expect(existsSync(b.path(hash))).toBe(false);
      const paths = await Promise.all([b.audioHere(hash), b.audioHere(hash)]);
      expect(paths).toEqual([b.path(hash), b.path(hash)]);
      expect(readFileSync(b.path(hash)).equals(bytes)).toBe(true);
      expect(await b.isWhole(hash)).toBe(true);
    }
  });

  it("keeps the same audio once", async () => {
    const bytes = randomBytes(1000);
    const hash = await keep(a, bytes);
    expect(await keep(b, bytes)).toBe(hash);
    expect(await b.touch(hash)).toBe(true);
    expect(await copiesOf(hash)).toHaveLength(1);
  });

  it("stops waiting when it is aborted; what was on its way arrives for others that wait", async () => {
    let letGo: () => void = () => undefined;
    const held = new Promise<void>((resolve) => (letGo = resolve));
    class SlowBucket extends Bucket {
      override async get(key: string, path: string): Promise<boolean> {
        await held;
        return super.get(key, path);
      }
    }
    const bytes = randomBytes(3000);
    const hash = await keep(a, bytes);
    const slow = new AudioStore(roots[1] ?? "", new SlowBucket("stemzo", "studio/"));
    const off = new AbortController();
    const first = slow.waitingUntil(off.signal).audioHere(hash);
    const second = slow.audioHere(hash);
    const third = slow.waitingUntil(off.signal).packages.local("none");
    off.abort(new Error("called off"));
    await expect(first).rejects.toThrow("called off");
    await expect(third).rejects.toThrow("called off");
    await expect(slow.waitingUntil(off.signal).uploads.local("none")).rejects.toThrow("called off");
    letGo();
    expect(readFileSync(await second).equals(bytes)).toBe(true);
    // What is here already is not waited for.
    expect(await slow.waitingUntil(off.signal).audioHere(hash)).toBe(b.path(hash));
  });

  it("says what is missing, and what is damaged, and keeps nothing of that", async () => {
    const nowhere = sha256(Buffer.from("nowhere"));
    await expect(b.audioHere(nowhere)).rejects.toThrow(MissingAudio);
    await b.makeLocal([nowhere]);
    for (const hostile of ["", "../../../etc/passwd", "A".repeat(64), `${nowhere}/..`])
      for (const store of [b, new AudioStore(roots[0] ?? "", null)])
        await expect(store.audioHere(hostile)).rejects.toThrow(MissingAudio);
    expect(await b.touch(nowhere)).toBe(false);
    const hash = await keep(a, randomBytes(5000));
    const [key = ""] = await copiesOf(hash);
    await client.send(
      new PutObjectCommand({ Bucket: "stemzo", Key: `studio/${key}`, Body: "else", Metadata: { sha256: hash } }),
    );
    await expect(b.audioHere(hash)).rejects.toThrow(DamagedObject);
    expect([existsSync(b.path(hash)), await b.isWhole(hash)]).toEqual([false, false]);
  });

  it("hands uploads, packages and saved files over", async () => {
    const path = a.unfinished();
    writeFileSync(path, "sent");
    await a.uploads.put("upload", path);
    writeFileSync(path, "packed");
    await a.packages.put("package", path);
    writeFileSync(path, "saved");
    await a.saved.put("job", path);
    expect([await b.uploads.has("upload"), await b.packages.has("package"), await b.packages.has("none")]).toEqual([
      true,
      true,
      false,
    ]);
    const read = await Promise.all([b.uploads.local("upload"), b.packages.local("package"), b.saved.local("job")]);
    expect(read.map((p) => readFileSync(p, "utf8"))).toEqual(["sent", "packed", "saved"]);
    await b.uploads.remove(["upload"]);
    expect(await a.uploads.has("upload")).toBe(false);
    expect(existsSync(await b.packages.local("none"))).toBe(false);
  });

  it("removes what was set aside, and nothing that was stored or touched since", async () => {
    const [idle, touched, stored] = await Promise.all(
      [1, 2, 3]
        .map(async (n) => ({ n, bytes: randomBytes(100 * n) }))
        .map(async (made) => {
          const { bytes } = await made;
          return { bytes, hash: await keep(a, bytes) };
        }),
    );
    if (!idle || !touched || !stored) throw new Error("three were kept");
    const later = new Date(Date.now() + 60_000);
    const aside = await a.setAside(idle.hash, later);
    expect(await a.setAside(touched.hash, new Date(Date.now() - 60_000))).toBeNull();
    const again = await a.setAside(stored.hash, later);
    // As one of another time would be: with a key of its own.
    const path = b.unfinished();
    writeFileSync(path, stored.bytes);
    await bucket.put(`audio/${stored.hash}/later`, path, stored.hash);
    await aside?.remove();
    await again?.remove();
    expect(await copiesOf(idle.hash)).toEqual([]);
    expect(await copiesOf(touched.hash)).toHaveLength(1);
    expect(await copiesOf(stored.hash)).toEqual([`audio/${stored.hash}/later`]);
  });

  it("leaves on the machine what was needed lately, and lets go of the rest where that is too much", async () => {
    const made = await Promise.all([1, 2].map(() => keep(a, randomBytes(200_000))));
    const [old = "", young = ""] = made;
    const fresh = new AudioStore(mkdtempSync(join(tmpdir(), "stemzo-c-")), bucket);
    await fresh.prepare(true);
    process.env["STEMZO_CACHE_GB"] = "0.0001";
    for (const hash of made) await fresh.audioHere(hash);
    const long = new Date(Date.now() - 2 * 3600 * 1000);
    utimesSync(fresh.path(old), long, long);
    await fresh.trim();
    expect([existsSync(fresh.path(old)), existsSync(fresh.path(young))]).toEqual([false, true]);
    expect(readFileSync(await fresh.audioHere(old)).length).toBe(200_000);
    delete process.env["STEMZO_CACHE_GB"];
  });
});
