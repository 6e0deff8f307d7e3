import { randomUUID } from "node:crypto";
import { eq } from "drizzle-orm";
import { createWriteStream } from "node:fs";
import { rename, rm, stat } from "node:fs/promises";
import type { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { OnsetFinder } from "../../core/analysis/onsets";
import { WavReader } from "../../core/formats/wav/read";
import type { Frames } from "../../core/units";
import { FileSource } from "../audio/file-bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { AudioFacts } from "../audio/facts";
import { inspectWav } from "../audio/facts";
import { AudioStore } from "../audio/store";
import type { Connection, Db } from "../db/connect";
import { assets } from "../db/schema";
import { invalid, notFound } from "../fault";
import { dataRoot } from "../paths";

export type StoredAudio = Omit<typeof assets.$inferSelect, "overview" | "madeAt">;

export const audioStore = (): AudioStore => new AudioStore(dataRoot());

/** Streams an upload into the store. A file that cannot be read as WAV is refused, and nothing of it stays. */
export async function takeUpload(db: Db, body: Readable): Promise<StoredAudio> {
  const store = audioStore();
  await store.prepare(false);
  const unfinished = store.unfinished();
  try {
    await pipeline(body, createWriteStream(unfinished, { flags: "wx", flush: true }));
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
  }
}

/** Keeps a file as it was sent, until a session brings it in. Whether it is audio is found out then. */
export async function keepUpload(body: Readable): Promise<{ readonly upload: string; readonly bytes: number }> {
  const store = audioStore();
  await store.prepare(false);
  const upload = randomUUID();
  const unfinished = store.unfinished();
  try {
    await pipeline(body, createWriteStream(unfinished, { flags: "wx", flush: true }));
    const { size } = await stat(unfinished);
    if (size === 0)
      throw invalid("The file is empty.", [{ where: "file", what: "has no bytes" }], "Send a file with audio in it.");
    await rename(unfinished, store.uploadPath(upload));
    return { upload, bytes: size };
  } finally {
    await rm(unfinished, { force: true });
  }
}

/** Refuses uploads that are not there. */
export async function refuseUnknownUploads(
  files: readonly { readonly upload: string; readonly name?: string; readonly path?: string }[],
): Promise<void> {
  const store = audioStore();
  const missing = await Promise.all(
    files.map(async ({ upload, path, name = path }, i) =>
      (await stat(store.uploadPath(upload)).then(
        () => true,
        () => false,
      ))
        ? []
        : [{ where: `files[${i}]`, what: `"${name ?? ""}" is not there: send it to /api/uploads first` }],
    ),
  );
  if (missing.flat().length > 0) throw invalid("These files cannot be brought in.", missing.flat());
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
export function readSamples(
  hash: string,
  { from, frames: count, side }: { readonly from: Frames; readonly frames: Frames; readonly side: "left" | "right" },
): Uint8Array<ArrayBuffer> {
  return opened(hash, (wav) => {
    const n = Math.max(0, Math.min(count, wav.frames - from));
    const [left, right] = [new Float32Array(n), new Float32Array(n)];
    if (n > 0) wav.read(from, n, left, right, 0);
    return new Uint8Array((side === "left" ? left : right).buffer);
  });
}

/** Frames of a file where sounds begin. Lets other requests be answered while it reads. */
export async function readOnsets(hash: string): Promise<readonly Frames[]> {
  const source = openAudio(hash);
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

function opened<T>(hash: string, work: (wav: WavReader) => T): T {
  const source = openAudio(hash);
  try {
    return work(WavReader.open(source));
  } finally {
    source.close();
  }
}

function openAudio(hash: string): FileSource {
  if (!/^[0-9a-f]{64}$/.test(hash)) throw notFound("such audio");
  try {
    return new FileSource(audioStore().path(hash));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") throw notFound("such audio");
    throw error;
  }
}
