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
