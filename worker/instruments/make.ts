import { rmSync } from "node:fs";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { type Instrument, samplesOf, withSamples } from "../../core/instruments/instrument";
import type { WrittenFile } from "../files/output-file";
import { DecodeCancelled } from "../import/reader";
import { withInstruments } from "./open";
import type { LostInSource, PresetInSource } from "./source";

/** Looks into a file of instruments. */
export interface ReadInstrumentsTask {
  readonly kind: "read instruments";
  readonly path: string;
}

export interface InstrumentsInFile {
  readonly name: string;
  readonly presets: readonly PresetInSource[];
}

/** More presets than any file has. */
const MOST_PRESETS = 20_000;

export const readInstruments = ({ path }: ReadInstrumentsTask): Promise<InstrumentsInFile> =>
  withInstruments(path, ({ name, presets }) => {
    if (presets.length === 0) throw new MalformedFile("There is no preset in it");
    if (presets.length > MOST_PRESETS) throw new MalformedFile(`It has more than ${MOST_PRESETS} presets`);
    return Promise.resolve({ name, presets });
  });

/** Makes an instrument of a preset, and files of the recordings that it plays. */
export interface MakeInstrumentTask {
  readonly kind: "make instrument";
  readonly path: string;
  readonly preset: number;
  readonly id: string;
  readonly attenuation: 1 | 0.4;
  /** What paths of the files begin with. */
  readonly to: string;
}

export interface MadeInstrument {
  /** Its recordings are named by the SHA-256 of their files. */
  readonly instrument: Instrument;
  readonly samples: readonly { readonly name: string; readonly file: WrittenFile }[];
  readonly lost: readonly LostInSource[];
}

/** Throws `MalformedFile`, and `DecodeCancelled`; no file is left behind then. */
export const makeInstrument = (
  { path, preset, id, attenuation, to }: MakeInstrumentTask,
  progress: (part: number) => boolean,
): Promise<MadeInstrument> =>
  withInstruments(path, async (source) => {
    const made = new Map<string, { readonly name: string; readonly file: WrittenFile }>();
    try {
      const { instrument, lost } = await source.read(preset, { id, attenuation });
      const names = samplesOf(instrument);
      for (const [i, sample] of names.entries()) {
        if (!progress(i / names.length)) throw new DecodeCancelled();
        made.set(sample, await source.write(sample, `${to}.${i}`));
      }
      return {
        instrument: withSamples(instrument, (sample) => made.get(sample)?.file.sha256),
        samples: [...made.values()],
        lost,
      };
    } catch (error) {
      for (const { file } of made.values()) rmSync(file.path, { force: true });
      throw error;
    }
  });
