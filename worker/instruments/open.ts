import { bytesAt, tagAt } from "../../core/formats/bytes/bytes";
import { FileSource } from "../../server/audio/file-bytes";
import { openSfzFolder } from "./sfz-folder";
import { openSoundFont } from "./sound-font";
import type { InstrumentSource } from "./source";

/**
 * Opens a file of instruments by its first bytes: a SoundFont, or a ZIP of SFZ files with their recordings. `take` has
 * it as long as it runs. Throws `MalformedFile`.
 */
export async function withInstruments<T>(path: string, take: (source: InstrumentSource) => Promise<T>): Promise<T> {
  const file = new FileSource(path);
  try {
    const isZip = file.size >= 4 && tagAt(bytesAt(file, 0, 4), 0).startsWith("PK");
    return await take(isZip ? await openSfzFolder(path, file) : openSoundFont(file));
  } finally {
    file.close();
  }
}
