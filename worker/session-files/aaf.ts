import { rmSync } from "node:fs";
import { writeAaf } from "../../core/formats/aaf/write";
import { plainHead } from "../../core/formats/wav/cut";
import { WavReader } from "../../core/formats/wav/read";
import { RenderCancelled } from "../../core/engine/render";
import { FileSink, FileSource } from "../../server/audio/file-bytes";
import type { WriteTimelineTask } from "./timeline-order";

/**
 * Writes an AAF file, its media streaming in where they are to be inside; answers with its bytes. Nothing is left when
 * it fails.
 */
export function writeAafFile(task: WriteTimelineTask, progress: (part: number) => boolean): number {
  const { timeline, media, audio, folder, to, name, date, leavesMedia = false } = task;
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
      ...(folder === undefined ? {} : { folder }),
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
