import type { Instrument } from "../../core/instruments/instrument";
import { bytesAt, tagAt } from "../../core/formats/bytes/bytes";
import { FileSource } from "../../server/audio/file-bytes";
import type { WrittenFile } from "../files/output-file";
import { openSfzFolder } from "./sfz-folder";
import { openSoundFont } from "./sound-font";

/** A preset as it is found: by its name, and as players number it. */
export interface PresetInSource {
  readonly name: string;
  readonly bank: number;
  readonly program: number;
}

/** Something that a preset asks for and that is not played here, for people, and by how many zones. */
export interface LostInSource {
  readonly what: string;
  readonly zones: number;
}

/** A file of instruments that is open. */
export interface InstrumentSource {
  readonly name: string;
  readonly presets: readonly PresetInSource[];
  /** A preset as an instrument whose recordings have names of the source's own. Throws `MalformedFile`. */
  read(
    preset: number,
    how: { readonly id: string; readonly attenuation: 1 | 0.4 },
  ): Promise<{ readonly instrument: Instrument; readonly lost: readonly LostInSource[] }>;
  /** Writes one of its recordings as a WAV file at its own rate. Throws `MalformedFile`. */
  write(sample: string, path: string): Promise<{ readonly name: string; readonly file: WrittenFile }>;
}

/**
 * Opens a file of instruments by its first bytes: a SoundFont, or a ZIP of SFZ files with their recordings. `use` has
 * it as long as it runs. Throws `MalformedFile`.
 */
export async function withInstruments<T>(path: string, use: (source: InstrumentSource) => Promise<T>): Promise<T> {
  const file = new FileSource(path);
  try {
    const isZip = file.size >= 4 && tagAt(bytesAt(file, 0, 4), 0).startsWith("PK");
    return await use(isZip ? await openSfzFolder(path, file) : openSoundFont(file));
  } finally {
    file.close();
  }
}
