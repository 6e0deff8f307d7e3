import { rmSync, statSync } from "node:fs";
import { writeDawproject } from "../../core/formats/dawproject/write";
import { OTIOZ_CONTENT, OTIOZ_VERSION } from "../../core/formats/otio/facts";
import { writeOtio } from "../../core/formats/otio/write";
import type { Timeline } from "../../core/timeline/timeline";
import { ZipWriter } from "../../server/packages/zip";
import { writeAafFile } from "./aaf";
import type { WriteTimelineTask } from "./timeline-order";

interface Part {
  readonly name: string;
  readonly bytes: Uint8Array;
}

/** What lies in the ZIP behind the audio. */
const zipped = {
  dawproject: (timeline: Timeline): readonly Part[] => writeDawproject(timeline),
  otio: (timeline: Timeline): readonly Part[] => [
    { name: OTIOZ_VERSION.name, bytes: Buffer.from(OTIOZ_VERSION.text) },
    { name: OTIOZ_CONTENT, bytes: Buffer.from(writeOtio(timeline)) },
  ],
};

/** What media are called inside a ZIP. */
export const mediaNames = ({ media }: Timeline): readonly string[] => media.map(({ path, name }) => path ?? name);

/**
 * Writes a session file; answers with its bytes. Media of a ZIP are in their places already: see `placeMedia`. Nothing
 * is left when it fails.
 */
export async function writeTimelineFile(task: WriteTimelineTask, progress: (part: number) => boolean): Promise<number> {
  if (task.as === "aaf") return writeAafFile(task, progress);
  const { timeline, media, to, date, sums = [] } = task;
  const zip = await ZipWriter.around(to, new Date(date));
  try {
    for (const [i, name] of mediaNames(timeline).entries()) {
      const [file, sum] = [media[i], sums[i]];
      if (!file || sum === undefined) throw new Error(`no file was given for "${name}"`);
      await zip.addPlaced(name, file.bytes, sum);
    }
    for (const part of zipped[task.as](timeline)) await zip.addBytes(part.name, part.bytes);
    // It is packed at once, and made sure of there.
    await zip.finish({ kept: false });
  } catch (error) {
    await zip.abandon();
    rmSync(to, { force: true });
    throw error;
  }
  return statSync(to).size;
}
