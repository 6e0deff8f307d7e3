import { rmSync } from "node:fs";
import { type Lost, readPreset } from "../../core/formats/sf2/instrument";
import { SoundFont } from "../../core/formats/sf2/read";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import { type Instrument, samplesOf, withSamples } from "../../core/instruments/instrument";
import type { Frames } from "../../core/units";
import { FileSource } from "../../server/audio/file-bytes";
import { copyOut } from "../files/copy-out";
import type { WrittenFile } from "../files/output-file";
import { importFile } from "../import/import-file";
import { DecodeCancelled } from "../import/reader";
import { Recorder } from "../render/recorder";

/** Looks into a file of instruments. */
export interface ReadInstrumentsTask {
  readonly kind: "read instruments";
  readonly path: string;
}

export interface InstrumentsInFile {
  readonly name: string;
  readonly presets: readonly { readonly name: string; readonly bank: number; readonly program: number }[];
}

/** More presets than any file has. */
const MOST_PRESETS = 20_000;

export function readInstruments({ path }: ReadInstrumentsTask): InstrumentsInFile {
  const source = new FileSource(path);
  try {
    const { name, presets } = new SoundFont(source);
    if (presets.length === 0) throw new MalformedFile("There is no preset in it");
    if (presets.length > MOST_PRESETS) throw new MalformedFile(`It has more than ${MOST_PRESETS} presets`);
    return { name, presets };
  } finally {
    source.close();
  }
}

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
  readonly lost: readonly Lost[];
}

/** Frames that are read and written at once. */
const AT_ONCE: Frames = 16_384;

/** Throws `MalformedFile`, and `DecodeCancelled`; no file is left behind then. */
export async function makeInstrument(
  { path, preset, id, attenuation, to }: MakeInstrumentTask,
  progress: (part: number) => boolean,
): Promise<MadeInstrument> {
  const source = new FileSource(path);
  const made = new Map<string, { readonly name: string; readonly file: WrittenFile }>();
  try {
    const font = new SoundFont(source);
    if (!font.presets[preset]) throw new MalformedFile(`There is no preset ${preset}`);
    const { instrument, lost } = readPreset(font, preset, { id, attenuation });
    const names = samplesOf(instrument);
    for (const [i, sample] of names.entries()) {
      if (!progress(i / names.length)) throw new DecodeCancelled();
      const file = await writeSample(font, Number(sample), `${to}.${sample}`);
      made.set(sample, { name: font.samples[Number(sample)]?.name ?? sample, file });
    }
    return {
      instrument: withSamples(instrument, (sample) => made.get(sample)?.file.sha256),
      samples: [...made.values()],
      lost,
    };
  } catch (error) {
    for (const { file } of made.values()) rmSync(file.path, { force: true });
    throw error;
  } finally {
    source.close();
  }
}

/** One recording as a WAV file of one channel at its own rate: whole numbers stay exact. */
async function writeSample(font: SoundFont, sample: number, path: string): Promise<WrittenFile> {
  const audio = font.sample(sample);
  if (!audio) return decoded(font, sample, path);
  const recorder = new Recorder(
    {
      ...{ path, ditherSeed: null, foldMono: false, bext: null },
      format: { rate: Math.max(1000, audio.rate), channels: 1, depth: audio.depth },
    },
    Math.max(1000, audio.rate),
  );
  try {
    const [left, right] = [new Float32Array(AT_ONCE), new Float32Array(AT_ONCE)];
    for (let from = 0; from < audio.frames; from += AT_ONCE) {
      const n = Math.min(AT_ONCE, audio.frames - from);
      audio.read(from, n, left, right, 0);
      recorder.sink(left, right, 0, n);
    }
    return await recorder.finish();
  } catch (error) {
    recorder.discard();
    throw error;
  }
}

/** A recording of an SF3, which is Ogg Vorbis. */
async function decoded(font: SoundFont, sample: number, path: string): Promise<WrittenFile> {
  const [bytes, header] = [font.vorbis(sample), font.samples[sample]];
  if (!bytes || !header) throw new MalformedFile(`Sample ${sample} is not there`);
  const ogg = `${path}.ogg`;
  try {
    copyOut(bytes, ogg);
    const rate = Math.max(1000, header.rate);
    const [first] = await importFile(
      { kind: "import", from: ogg, to: path, name: header.name, rate, pick: 0 },
      () => true,
    );
    if (!first) throw new MalformedFile(`Sample "${header.name}" is empty`);
    return first.file;
  } finally {
    rmSync(ogg, { force: true });
  }
}
