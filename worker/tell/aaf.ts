import { closeSync, openSync, rmSync, writeSync } from "node:fs";
import { writeAaf } from "../../core/formats/aaf/write";
import { plainHead } from "../../core/formats/wav/cut";
import { WavReader } from "../../core/formats/wav/read";
import { RenderCancelled } from "../../core/engine/render";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import type { PlaceMediaTask, WriteTimelineTask } from "../task";

const PIECE = 1 << 20;

/**
 * Puts files into places that were left for them in another, which is there; answers with their bytes. `progress` is told
 * 0 to 1; false cancels.
 */
export function placeMedia({ to, pieces }: PlaceMediaTask, progress: (part: number) => boolean): number {
  const total = Math.max(
    1,
    pieces.reduce((n, p) => n + p.bytes, 0),
  );
  const buffer = new Uint8Array(PIECE);
  const target = openSync(to, "r+");
  let done = 0;
  try {
    for (const { path, at } of pieces) {
      const file = new FileSource(path);
      try {
        for (let from = 0; from < file.size; from += PIECE) {
          const part = buffer.subarray(0, Math.min(PIECE, file.size - from));
          file.read(from, part);
          for (let put = 0; put < part.length;) put += writeSync(target, part, put, part.length - put, at + from + put);
          done += part.length;
          if (!progress(done / total)) throw new RenderCancelled("Writing the session file was cancelled.");
        }
      } finally {
        file.close();
      }
    }
    return done;
  } finally {
    closeSync(target);
  }
}

/**
 * Writes an AAF file, its media streaming in where they are to be inside; answers with its bytes. Nothing is left when
 * it fails.
 */
export function writeAafFile(task: WriteTimelineTask, progress: (part: number) => boolean): number {
  const { timeline, media, audio, to, name, date, leavesMedia = false } = task;
  const opened = timeline.media.map(({ id }, i) => ({ id, file: new FileSource(media[i]?.path ?? "") }));
  const total = Math.max(
    1,
    opened.reduce((n, o) => n + o.file.size, 0),
  );
  let sink: FileSink | null = null;
  try {
    const files = new Map(
      opened.map(({ id, file }) => {
        const { format, frames } = WavReader.open(file);
        return [id, { file, head: plainHead(format, frames) }] as const;
      }),
    );
    const made = (sink = new FileSink(to, { isMade: leavesMedia }));
    writeAaf(timeline, made, {
      media: audio === "inside" ? "embedded" : "beside",
      files,
      leavesMedia,
      name,
      date: new Date(date),
      onBytes: (bytes) => {
        if (!progress(bytes / total)) throw new RenderCancelled("Writing the AAF file was cancelled.");
      },
    });
    made.close();
    sink = null;
    const written = new FileSource(to);
    const bytes = written.size;
    written.close();
    return bytes;
  } catch (error) {
    sink?.abandon();
    rmSync(to, { force: true });
    throw error;
  } finally {
    for (const { file } of opened) file.close();
  }
}
