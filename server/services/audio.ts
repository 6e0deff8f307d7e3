import { randomUUID } from "node:crypto";
import { eq, sql } from "drizzle-orm";
import { createWriteStream } from "node:fs";
import { rm, stat, statfs } from "node:fs/promises";
import type { Readable } from "node:stream";
import { Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { MissingAudio } from "../../core/engine/library";
import { OnsetFinder } from "../../core/analysis/onsets";
import { WavReader } from "../../core/formats/wav/read";
import type { Frames } from "../../core/units";
import { FileSource } from "../audio/file-bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { KnownOf } from "../audio/adopting";
import type { AudioFacts } from "../audio/facts";
import { inspectWav } from "../audio/facts";
import { AudioStore } from "../audio/store";
import type { Connection, Db } from "../db/connect";
import { assets } from "../db/schema";
import { Refusal, invalid, notFound } from "../fault";
import { ROOM_KEPT_BYTES, UPLOAD_BYTES } from "../limits";
import { log } from "../log";
import { dataRoot } from "../paths";

export type StoredAudio = Omit<typeof assets.$inferSelect, "overview" | "madeAt">;

export const audioStore = (): AudioStore => new AudioStore(dataRoot());

/** Streams an upload into the store. A file that cannot be read as WAV is refused, and nothing of it stays. */
export async function takeUpload(db: Db, body: Readable, size: number | null = null): Promise<StoredAudio> {
  const store = audioStore();
  await store.prepare(false);
  const unfinished = store.unfinished();
  try {
    await receive(body, size, unfinished);
    const facts = await inspectWav(unfinished).catch((error: unknown) => {
      throw error instanceof MalformedFile
        ? invalid(
            "The file cannot be used as audio.",
            [{ where: error.at === null ? "file" : `byte ${error.at}`, what: error.message }],
            "Send a WAV file: mono or stereo; 16, 24 or 32 bits, or float.",
          )
        : error;
    });
    const hash = await store.adopt(unfinished);
    return await recordAudio(db, hash, facts);
  } finally {
    await rm(unfinished, { force: true });
    await reapOrphanedAudio(db, store);
  }
}

/** Of those hashes the ones that the database speaks of. */
export async function knownAudio(db: Connection, hashes: readonly string[]): Promise<ReadonlySet<string>> {
  const rows = await db
    .select({ hash: assets.hash })
    .from(assets)
    // One array, as there may be more of them than a query takes values.
    .where(sql`${assets.hash} = any(${sql.param([...hashes])}::text[])`);
  return new Set(rows.map((r) => r.hash));
}

/** The same, after everybody who was just entering audio has done so: a process is gone before its last word is. */
export const knownAudioAfterCommits =
  (db: Db): KnownOf =>
  async (hashes) => {
    const known = await knownAudio(db, hashes);
    if (hashes.every((hash) => known.has(hash))) return known;
    return db.transaction(async (tx) => {
      await tx.execute(sql`set local lock_timeout = '5s'`);
      await tx.execute(sql`lock table assets in share row exclusive mode`);
      return knownAudio(tx, hashes);
    });
  };

/**
 * Removes orphaned audio. Where that cannot be found out now, as the database is away, a render
 * process does it after this process has ended.
 */
export async function reapOrphanedAudio(db: Db, store: AudioStore): Promise<void> {
  await store
    .reapOrphans(knownAudioAfterCommits(db))
    .catch((error: Error) => log.warn(`stored audio is not settled: ${error.message}`));
}

/** Keeps a file as it was sent, until a session brings it in. Whether it is audio is found out then. */
export async function keepUpload(
  body: Readable,
  size: number | null = null,
): Promise<{ readonly upload: string; readonly bytes: number }> {
  const store = audioStore();
  await store.prepare(false);
  const upload = randomUUID();
  const unfinished = store.unfinished();
  try {
    await receive(body, size, unfinished);
    const { size: bytes } = await stat(unfinished);
    if (bytes === 0)
      throw invalid("The file is empty.", [{ where: "file", what: "has no bytes" }], "Send a file with audio in it.");
    await store.uploads.put(upload, unfinished);
    return { upload, bytes };
  } finally {
    await rm(unfinished, { force: true });
  }
}

/** Looked after every so many bytes that came. */
const LOOK_EVERY_BYTES = 64 << 20;

/** Writes what is sent to a new file. Refused where it is too much or does not fit: before it begins, if it says so. */
async function receive(body: Readable, size: number | null, path: string): Promise<void> {
  await refuseTooMuch(size ?? 0);
  let [came, lookedAt] = [0, 0];
  const counted = new Transform({
    transform(part: Buffer, _encoding, done) {
      came += part.length;
      if (came - lookedAt < LOOK_EVERY_BYTES) return done(null, part);
      lookedAt = came;
      refuseTooMuch(0, came).then(
        () => done(null, part),
        (error: unknown) => done(error as Error),
      );
    },
  });
  await pipeline(body, counted, createWriteStream(path, { flags: "wx", flush: true }));
}

/** Throws where `more` bytes do not fit on the disk, or where more than may be sent has come or is to come. */
async function refuseTooMuch(more: number, came = more): Promise<void> {
  if (came > UPLOAD_BYTES)
    throw new Refusal(413, {
      what: `A file may have ${byteText(UPLOAD_BYTES)} at most.`,
      kept: "Nothing of it was kept.",
      todo: "Send it in parts.",
      problems: [],
    });
  const { bavail, bsize } = await statfs(dataRoot());
  const room = bavail * bsize - ROOM_KEPT_BYTES;
  if (more <= room) return;
  const has = more > 0 ? `, and it has ${byteText(more)}` : "";
  throw new Refusal(507, {
    what: `There is no room for this file: ${byteText(Math.max(0, room))} can be written${has}.`,
    kept: "Nothing of it was kept; what was stored before is untouched.",
    todo: "Make room where Stemzo keeps its data, and send it again.",
    problems: [],
  });
}

const byteText = (bytes: number): string =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`;

/** Refuses uploads that are not there. */
export async function refuseUnknownUploads(
  files: readonly { readonly upload: string; readonly name?: string; readonly path?: string }[],
): Promise<void> {
  const store = audioStore();
  const missing = await Promise.all(
    files.map(async ({ upload, path, name = path }, i) =>
      (await store.uploads.has(upload))
        ? []
        : [{ where: `files[${i}]`, what: `"${name ?? ""}" is not there: send it to /api/uploads first` }],
    ),
  );
  if (missing.flat().length > 0) throw invalid("These files cannot be imported.", missing.flat());
}

/** Enters a file that is in the store; entering it again changes nothing. */
export async function recordAudio(db: Connection, hash: string, facts: AudioFacts): Promise<StoredAudio> {
  const { format, frames, bytes, timeReference, overview, measures } = facts;
  await db
    .insert(assets)
    .values({
      hash,
      rate: format.rate,
      channels: format.channels,
      depth: format.depth,
      frames,
      bytes,
      timeReference,
      overview,
      measures,
    })
    .onConflictDoNothing();
  return readAudio(db, hash);
}

export async function readAudio(db: Connection, hash: string): Promise<StoredAudio> {
  const [row] = await db
    .select({
      hash: assets.hash,
      rate: assets.rate,
      channels: assets.channels,
      depth: assets.depth,
      frames: assets.frames,
      bytes: assets.bytes,
      timeReference: assets.timeReference,
      measures: assets.measures,
    })
    .from(assets)
    .where(eq(assets.hash, hash));
  if (!row) throw notFound("such audio");
  return row;
}

/** Lowest and highest sample of every 256 frames, as signed bytes in pairs. */
export async function readOverview(db: Db, hash: string): Promise<Uint8Array> {
  const [row] = await db.select({ overview: assets.overview }).from(assets).where(eq(assets.hash, hash));
  if (!row) throw notFound("such audio");
  return row.overview;
}

/** Frames of a stored file read at once where there is no hurry. */
const BLOCK: Frames = 16384;

/** Samples of a file's left channel, as 32-bit floats, least significant byte first; as many as there are. */
export async function readSamples(
  hash: string,
  { from, frames: count, side }: { readonly from: Frames; readonly frames: Frames; readonly side: "left" | "right" },
): Promise<Uint8Array<ArrayBuffer>> {
  return opened(hash, (wav) => {
    const n = Math.max(0, Math.min(count, wav.frames - from));
    const [left, right] = [new Float32Array(n), new Float32Array(n)];
    if (n > 0) wav.read(from, n, left, right, 0);
    return new Uint8Array((side === "left" ? left : right).buffer);
  });
}

/** Frames of a file where sounds begin. Lets other requests be answered while it reads. */
export async function readOnsets(hash: string): Promise<readonly Frames[]> {
  const source = await openAudio(hash);
  try {
    const wav = WavReader.open(source);
    const finder = new OnsetFinder(wav.format.rate);
    const left = new Float32Array(BLOCK),
      right = new Float32Array(BLOCK);
    for (let from = 0; from < wav.frames; from += BLOCK) {
      const n = Math.min(BLOCK, wav.frames - from);
      wav.read(from, n, left, right, 0);
      finder.push(left, right, 0, n);
      await new Promise(setImmediate);
    }
    return finder.onsets;
  } finally {
    source.close();
  }
}

async function opened<T>(hash: string, work: (wav: WavReader) => T): Promise<T> {
  const source = await openAudio(hash);
  try {
    return work(WavReader.open(source));
  } finally {
    source.close();
  }
}

async function openAudio(hash: string): Promise<FileSource> {
  if (!/^[0-9a-f]{64}$/.test(hash)) throw notFound("such audio");
  try {
    return new FileSource(await audioStore().audioHere(hash));
  } catch (error) {
    if (error instanceof MissingAudio || (error as NodeJS.ErrnoException).code === "ENOENT")
      throw notFound("such audio");
    throw error;
  }
}
