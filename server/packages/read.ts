import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { pipeline } from "node:stream/promises";
import { promisify } from "node:util";
import type { Entry, ZipFile } from "yauzl";
import { open } from "yauzl";
import { ZodError } from "zod";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile, SliceSource } from "../../core/formats/bytes/bytes";
import type { Manifest } from "../../core/delivery/manifest";
import { hashList, parseManifest } from "../../core/delivery/manifest";
import { HASH_LIST_NAME, MANIFEST_NAME } from "../../core/delivery/package-names";
import { FileSource } from "../audio/file-bytes";

const MAX_ENTRIES = 10000;
const MAX_SMALL_BYTES = 8 << 20;

/** One stored file inside a package, as bytes that can be read in place. */
export interface PackageEntry {
  readonly name: string;
  readonly source: ByteSource;
  /** First byte of it in the package, and the checksum that the package has of it. */
  readonly start: number;
  readonly crc32: number;
  sha256(): Promise<string>;
}

/** A delivered package as it lies on disk. */
export interface PackageReader {
  readonly manifest: Manifest;
  readonly bytes: number;
  /** Audio and papers; not the manifest, nor the list of hashes. */
  readonly entries: ReadonlyMap<string, PackageEntry>;
  /** Whether the list of hashes says what the manifest does; null where there is none, as in packages of version 1. */
  readonly hashListAgrees: boolean | null;
  close(): void;
}

/** Opens a package from its directory of contents on. Throws `MalformedFile`. */
export async function openPackage(path: string): Promise<PackageReader> {
  const zip = await (promisify(open) as (path: string, options: object) => Promise<ZipFile>)(path, {
    lazyEntries: true,
    autoClose: false,
  });
  const file = new FileSource(path);
  try {
    if (zip.entryCount > MAX_ENTRIES) throw new MalformedFile(`The package has ${zip.entryCount} entries`);
    let manifest: { readonly read: Manifest; readonly sha256: string } | null = null;
    let list: string | null = null;
    const entries = new Map<string, PackageEntry>();
    for await (const entry of zip.eachEntry()) {
      const name = entry.fileName.slice(entry.fileName.indexOf("/") + 1);
      if (name === MANIFEST_NAME) {
        const bytes = await readSmall(zip, entry, "manifest");
        manifest = { read: manifestIn(bytes), sha256: createHash("sha256").update(bytes).digest("hex") };
        continue;
      }
      if (name === HASH_LIST_NAME) {
        list = (await readSmall(zip, entry, "list of hashes")).toString("utf8");
        continue;
      }
      if (entry.compressionMethod !== 0)
        throw new MalformedFile(`"${name}" is compressed; a package stores audio as it is`);
      const start = await dataStart(zip, entry);
      entries.set(name, {
        name,
        start,
        crc32: entry.crc32,
        source: new SliceSource(file, start, entry.uncompressedSize),
        sha256: async () => {
          const hash = createHash("sha256");
          await pipeline(
            createReadStream(path, { start, end: start + entry.uncompressedSize - 1, highWaterMark: 1 << 20 }),
            hash,
          );
          return hash.digest("hex");
        },
      });
    }
    if (!manifest) throw new MalformedFile("The package has no manifest");
    return {
      manifest: manifest.read,
      hashListAgrees: list === null ? null : list === hashList(manifest.read, manifest.sha256),
      bytes: file.size,
      entries,
      close: () => {
        zip.close();
        file.close();
      },
    };
  } catch (error) {
    zip.close();
    file.close();
    throw error;
  }
}

/** A small entry, whole. */
async function readSmall(zip: ZipFile, entry: Entry, what: string): Promise<Buffer> {
  if (entry.uncompressedSize > MAX_SMALL_BYTES) throw new MalformedFile(`The ${what} is too large`);
  const stream = await (promisify(zip.openReadStream.bind(zip)) as (e: Entry) => Promise<NodeJS.ReadableStream>)(entry);
  const chunks: Buffer[] = [];
  for await (const chunk of stream) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}

function manifestIn(bytes: Buffer): Manifest {
  let json: unknown;
  try {
    json = JSON.parse(bytes.toString("utf8"));
  } catch {
    throw new MalformedFile("The manifest is not JSON");
  }
  try {
    return parseManifest(json);
  } catch (error) {
    if (!(error instanceof ZodError)) throw error;
    const [issue] = error.issues;
    throw new MalformedFile(`The manifest is not valid: ${issue?.path.join(".") ?? ""} ${issue?.message ?? ""}`);
  }
}

function dataStart(zip: ZipFile, entry: Entry): Promise<number> {
  return new Promise((resolve, reject) => {
    zip.readLocalFileHeader(entry, { minimal: true }, (error, header) => {
      if (error) reject(error);
      else resolve(header.fileDataStart);
    });
  });
}
