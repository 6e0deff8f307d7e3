import { createHash } from "node:crypto";
import { rmSync } from "node:fs";
import { cutWav } from "../../core/formats/wav/cut";
import { WavReader } from "../../core/formats/wav/read";
import type { WavFormat } from "../../core/formats/wav/format";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import { sha256OfFileNow } from "../../server/audio/files";
import type { Bext } from "../../core/formats/wav/format";
import type { Frames } from "../../core/units";

/** Writes a stretch of a stored file, or one channel of it, as a file of its own. */
export interface CutTask {
  readonly kind: "cut media";
  readonly from: string;
  readonly to: string;
  readonly window: { readonly from: Frames; readonly to: Frames } | null;
  readonly channel: 0 | 1 | null;
  /** What stands in its broadcast extension; null: it has none. */
  readonly bext: Bext | null;
}

/** A file of sound that a session file plays, as it lies on disk. */
export interface MediaFile {
  readonly path: string;
  readonly bytes: number;
  readonly sha256: string;
  readonly format: WavFormat;
  readonly frames: number;
  readonly timeReference: number | null;
}

/** Writes a stretch of a stored file, or one channel of it, as a file of its own. Nothing is left when it fails. */
export function cutMedia({ from, to, window, channel, bext }: CutTask): MediaFile {
  const source = new FileSource(from);
  let sink: FileSink | null = null;
  try {
    const { frames } = WavReader.open(source);
    const stretch = window ?? { from: 0, to: frames };
    const made = (sink = new FileSink(to));
    const format = cutWav(source, stretch, channel, made, bext);
    made.close();
    sink = null;
    const written = new FileSource(to);
    const bytes = written.size;
    written.close();
    return {
      path: to,
      bytes,
      sha256: sha256OfFileNow(to),
      format,
      frames: stretch.to - stretch.from,
      timeReference: bext?.timeReference ?? null,
    };
  } catch (error) {
    sink?.abandon();
    rmSync(to, { force: true });
    throw error;
  } finally {
    source.close();
  }
}

export const sha256Of = (bytes: Uint8Array): string => createHash("sha256").update(bytes).digest("hex");

/** A file of sound as it lies there, with what its head says. */
export async function wholeFile(path: string, sha256: string): Promise<MediaFile> {
  const source = new FileSource(path);
  try {
    const { format, frames, bext } = WavReader.open(source);
    return { path, bytes: source.size, sha256, format, frames, timeReference: bext?.timeReference ?? null };
  } finally {
    source.close();
  }
}

/** Divides files into shares of about as many bytes, each of files that follow each other. */
export function inShares<T extends { readonly bytes: number }>(
  files: readonly T[],
  shares: number,
): readonly (readonly T[])[] {
  const total = files.reduce((n, f) => n + f.bytes, 0);
  const made: T[][] = Array.from({ length: shares }, () => []);
  let before = 0;
  for (const file of files) {
    made[Math.min(shares - 1, Math.floor((before / Math.max(1, total)) * shares))]?.push(file);
    before += file.bytes;
  }
  return made.filter((share) => share.length > 0);
}

/** A promise whose failure counts as unhandled only when it is awaited. */
export function held<T>(promise: Promise<T>): Promise<T> {
  promise.catch(() => undefined);
  return promise;
}
