import { rmSync, statSync } from "node:fs";
import { RenderCancelled } from "../../core/engine/render";
import { writeDawproject } from "../../core/formats/dawproject/write";
import { OTIOZ_CONTENT, OTIOZ_VERSION } from "../../core/formats/otio/facts";
import { writeOtio } from "../../core/formats/otio/write";
import type { Timeline } from "../../core/timeline/timeline";
import { ZipWriter } from "../../server/packages/zip";
import type { WriteTimelineTask } from "../task";
import { writeAafFile } from "./aaf";

interface Part {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/** What lies in the ZIP in front of the audio. */
const zipped = {
  dawproject: (timeline: Timeline): readonly Part[] => writeDawproject(timeline),
  otio: (timeline: Timeline): readonly Part[] => [
    { name: OTIOZ_VERSION.name, bytes: Buffer.from(OTIOZ_VERSION.text) },
    { name: OTIOZ_CONTENT, bytes: Buffer.from(writeOtio(timeline)) },
  ],
};

/** Writes a session file; answers with its bytes. Nothing is left when it fails. */
export async function writeTimelineFile(task: WriteTimelineTask, progress: (part: number) => boolean): Promise<number> {
  if (task.as === "aaf") return writeAafFile(task, progress);
  const { timeline, media, to, date } = task;
  const total = media.reduce((n, m) => n + m.bytes, 1);
  let done = 0;
  const zip = await ZipWriter.create(to, new Date(date));
  try {
    for (const part of zipped[task.as](timeline)) await zip.addBytes(part.name, part.bytes);
    for (const [i, { path, name }] of timeline.media.entries()) {
      const file = media[i];
      if (!file) throw new Error(`no file was given for "${name}"`);
      await zip.addFileAtOnce(path ?? name, { ...file, start: 0 }, (more) => {
        done += more;
        if (!progress(done / total)) throw new RenderCancelled("Writing the session file was cancelled.");
      });
    }
    // It is packed at once, and made sure of there.
    await zip.finish({ kept: false });
  } catch (error) {
    await zip.abandon();
    rmSync(to, { force: true });
    throw error;
  }
  return statSync(to).size;
}
