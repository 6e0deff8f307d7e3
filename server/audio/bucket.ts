import { createHash } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import { stat } from "node:fs/promises";
import type { Readable } from "node:stream";
import { Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { S3Client } from "@aws-sdk/client-s3";

/** What a bucket has under a key. */
export interface StoredObject {
  readonly key: string;
  readonly bytes: number;
  /** When it was put there; what is copied onto a new key is new. */
  readonly changed: Date;
}

/** The bucket has other bytes under a key than were put there. */
export class DamagedObject extends Error {
  override readonly name = "DamagedObject";
  constructor(readonly key: string) {
    super(`The bucket's bytes of ${key} are not those that were stored.`);
  }
}

/** Its digest goes with every object, and is compared whenever one is read. */
const DIGEST = "sha256";
/** Larger files go in parts, so many at a time: what is held in memory. */
const PART_BYTES = 16 << 20;
const PARTS_AT_ONCE = 2;
const CHUNK_BYTES = 1 << 20;
/** One copy within the bucket may have so many bytes (Amazon S3 API, CopyObject). */
const COPY_BYTES = 5 * 2 ** 30;
/** So many keys are removed with one request (Amazon S3 API, DeleteObjects). */
const REMOVED_AT_ONCE = 1000;
/** What connects within so long, or says nothing for so long while it answers, is tried again; three times in all. */
const CONNECT_MS = 5000;
const SILENT_MS = 30_000;

/** Loaded when it is first needed: most places keep their files on their own disk. */
const sdk = () => import("@aws-sdk/client-s3");

/**
 * A bucket of an S3-compatible store. Where it is and who may use it is told as everywhere with such stores, by
 * `AWS_ENDPOINT_URL_S3`, `AWS_REGION`, `AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY` and their kin.
 */
export class Bucket {
  private client: Promise<S3Client> | null = null;

  constructor(
    readonly name: string,
    /** Ends with a slash where there is one. */
    private readonly prefix: string,
  ) {}

  /** Of an address like `s3://bucket/some/folder`. Throws where it is none. */
  static at(address: string): Bucket {
    const [, name, folder = ""] = /^s3:\/\/([a-z0-9][a-z0-9.-]{1,61}[a-z0-9])(?:\/(.*))?$/.exec(address) ?? [];
    if (name === undefined) throw new Error(`STEMZO_STORE is "${address}": it has to be like s3://bucket/folder`);
    const trimmed = folder.replace(/\/+$/, "");
    return new Bucket(name, trimmed === "" ? "" : `${trimmed}/`);
  }

  /** Throws where the bucket does not answer, or does not let in. */
  async check(): Promise<void> {
    const { HeadBucketCommand } = await sdk();
    try {
      await (await this.connected()).send(new HeadBucketCommand({ Bucket: this.name }));
    } catch (error) {
      // An answer to HEAD has no body, so it says no more than its status (RFC 9110, 9.3.2).
      const status = (error as { $metadata?: { httpStatusCode?: number } }).$metadata?.httpStatusCode;
      const why =
        status === 404
          ? `there is no bucket "${this.name}"`
          : status === 403
            ? `the keys do not open the bucket "${this.name}"`
            : status === 301
              ? `the bucket "${this.name}" is in another region`
              : null;
      throw why === null ? error : new Error(why, { cause: error });
    }
  }

  /** Stores a file whole or not at all; the bucket compares what came with its checksum. */
  async put(key: string, path: string, sha256: string): Promise<void> {
    const [{ PutObjectCommand }, { size }, client] = await Promise.all([sdk(), stat(path), this.connected()]);
    const head = { Bucket: this.name, Key: this.prefix + key, Metadata: { [DIGEST]: sha256 } };
    if (size <= PART_BYTES) {
      const Body = createReadStream(path, { highWaterMark: CHUNK_BYTES });
      await client.send(new PutObjectCommand({ ...head, ContentLength: size, Body, ChecksumAlgorithm: "CRC32" }));
      return;
    }
    const { Upload } = await import("@aws-sdk/lib-storage");
    const Body = createReadStream(path, { highWaterMark: CHUNK_BYTES });
    await new Upload({
      client,
      params: { ...head, Body, ChecksumAlgorithm: "CRC32" },
      partSize: Math.max(PART_BYTES, Math.ceil(size / 10_000)),
      queueSize: PARTS_AT_ONCE,
    }).done();
  }

  /** Writes an object to a new file; false: there is none. Throws `DamagedObject`. */
  async get(key: string, path: string): Promise<boolean> {
    const [{ GetObjectCommand, NoSuchKey }, client] = await Promise.all([sdk(), this.connected()]);
    try {
      const found = await client.send(new GetObjectCommand({ Bucket: this.name, Key: this.prefix + key }));
      const hash = createHash("sha256");
      const hashing = new Transform({
        transform(chunk: Buffer, _, done) {
          hash.update(chunk);
          done(null, chunk);
        },
      });
      await pipeline(found.Body as Readable, hashing, createWriteStream(path, { flags: "wx" }));
      if (hash.digest("hex") !== found.Metadata?.[DIGEST]) throw new DamagedObject(key);
      return true;
    } catch (error) {
      if (error instanceof NoSuchKey) return false;
      throw error;
    }
  }

  async has(key: string): Promise<boolean> {
    const [{ HeadObjectCommand, NotFound, NoSuchKey }, client] = await Promise.all([sdk(), this.connected()]);
    return client.send(new HeadObjectCommand({ Bucket: this.name, Key: this.prefix + key })).then(
      () => true,
      (error: unknown) => {
        if (error instanceof NotFound || error instanceof NoSuchKey) return false;
        throw error;
      },
    );
  }

  /** Copies an object within the bucket; false: it is gone. */
  async copy({ key: from, bytes }: StoredObject, to: string): Promise<boolean> {
    if (bytes > COPY_BYTES) throw new Error(`${from} is too large to be copied at once`);
    const [{ CopyObjectCommand, NoSuchKey, NotFound }, client] = await Promise.all([sdk(), this.connected()]);
    const CopySource = `${this.name}/${this.prefix}${from}`.split("/").map(encodeURIComponent).join("/");
    return client.send(new CopyObjectCommand({ Bucket: this.name, Key: this.prefix + to, CopySource })).then(
      () => true,
      (error: unknown) => {
        if (error instanceof NoSuchKey || error instanceof NotFound) return false;
        throw error;
      },
    );
  }

  /** Everything whose key begins so, by key. */
  async *list(beginning: string): AsyncGenerator<StoredObject> {
    const [{ paginateListObjectsV2 }, client] = await Promise.all([sdk(), this.connected()]);
    for await (const page of paginateListObjectsV2({ client }, { Bucket: this.name, Prefix: this.prefix + beginning }))
      for (const { Key = "", Size: bytes = 0, LastModified: changed = new Date(0) } of page.Contents ?? [])
        yield { key: Key.slice(this.prefix.length), bytes, changed };
  }

  async remove(keys: readonly string[]): Promise<void> {
    const [{ DeleteObjectsCommand }, client] = await Promise.all([sdk(), this.connected()]);
    for (let at = 0; at < keys.length; at += REMOVED_AT_ONCE) {
      const Objects = keys.slice(at, at + REMOVED_AT_ONCE).map((key) => ({ Key: this.prefix + key }));
      const { Errors = [] } = await client.send(
        new DeleteObjectsCommand({ Bucket: this.name, Delete: { Objects, Quiet: true } }),
      );
      const [first] = Errors;
      if (first) throw new Error(`${first.Key ?? "an object"} could not be removed: ${first.Message ?? ""}`);
    }
  }

  /** Aborts multipart uploads begun before a time: their process is gone, and their parts take room. */
  async abandonParts(before: Date): Promise<number> {
    const [{ ListMultipartUploadsCommand, AbortMultipartUploadCommand }, client] = await Promise.all([
      sdk(),
      this.connected(),
    ]);
    const { Uploads = [] } = await client.send(
      new ListMultipartUploadsCommand({ Bucket: this.name, Prefix: this.prefix }),
    );
    const old = Uploads.filter(({ Initiated }) => Initiated && Initiated < before);
    for (const { Key, UploadId } of old)
      await client.send(new AbortMultipartUploadCommand({ Bucket: this.name, Key, UploadId }));
    return old.length;
  }

  private connected(): Promise<S3Client> {
    return (this.client ??= sdk().then(
      ({ S3Client }) =>
        new S3Client({
          region: process.env["AWS_REGION"] ?? process.env["AWS_DEFAULT_REGION"] ?? "us-east-1",
          // A store of one's own has no name for each bucket.
          forcePathStyle: Boolean(process.env["AWS_ENDPOINT_URL_S3"] ?? process.env["AWS_ENDPOINT_URL"]),
          requestHandler: { connectionTimeout: CONNECT_MS, requestTimeout: SILENT_MS },
        }),
    ));
  }
}

const holder = globalThis as { stemzoBucket?: { readonly address: string; readonly bucket: Bucket | null } };

/** The bucket that STEMZO_STORE names; null: files are kept on this machine's disk. */
export function bucketOfEnvironment(): Bucket | null {
  const address = process.env["STEMZO_STORE"] ?? "";
  if (holder.stemzoBucket?.address !== address)
    holder.stemzoBucket = { address, bucket: address === "" ? null : Bucket.at(address) };
  return holder.stemzoBucket.bucket;
}
