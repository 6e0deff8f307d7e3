import type { Instrument } from "../../core/instruments/instrument";
import type { WrittenFile } from "../files/output-file";

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
