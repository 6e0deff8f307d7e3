import { rmSync } from "node:fs";
import { readPreset } from "../../core/formats/sf2/instrument";
import { SoundFont } from "../../core/formats/sf2/read";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { Frames } from "../../core/units";
import { sayLostOfInstrument } from "../../core/words/instruments";
import { copyOut } from "../files/copy-out";
import type { WrittenFile } from "../files/output-file";
import { importFile } from "../import/import-file";
import { Recorder } from "../render/recorder";
import type { InstrumentSource } from "./source";

/** Frames that are read and written at once. */
const AT_ONCE: Frames = 16_384;
/** Lowest rate that a session's audio has. */
const LEAST_RATE = 1000;
/** How often the bytes of a file may be in recordings of a preset, each with its head. */
const MOST_OVERLAP = 8;

export function openSoundFont(source: ByteSource): InstrumentSource {
  const font = new SoundFont(source);
  let written = 0;
  return {
    name: font.name,
    presets: font.presets,
    async read(preset, how) {
      if (!font.presets[preset]) throw new MalformedFile(`There is no preset ${preset}`);
      const { instrument, lost } = readPreset(font, preset, how);
      return { instrument, lost: lost.map((l) => ({ what: sayLostOfInstrument(l), zones: l.zones })) };
    },
    async write(sample, path) {
      const file = await writeSample(font, Number(sample), path);
      // Recordings may overlap, but not so that a small file fills a disk.
      written += font.samples[Number(sample)]?.isVorbis ? 0 : file.bytes;
      if (written > MOST_OVERLAP * source.size) {
        rmSync(path, { force: true });
        throw new MalformedFile(`Its recordings are said to be more than ${MOST_OVERLAP} times as long as the file`);
      }
      return { name: font.samples[Number(sample)]?.name ?? sample, file };
    },
  };
}

/** One recording as a WAV file of one channel: whole numbers stay exact. */
async function writeSample(font: SoundFont, sample: number, path: string): Promise<WrittenFile> {
  const audio = font.sample(sample);
  if (!audio) return decoded(font, sample, path);
  const rate = Math.max(LEAST_RATE, audio.rate);
  const format = { rate, channels: 1, depth: audio.depth } as const;
  const recorder = new Recorder({ path, ditherSeed: null, foldMono: false, bext: null, format }, rate);
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
    const [first] = await importFile(
      { kind: "import", from: ogg, to: path, name: header.name, rate: null, pick: 0 },
      () => true,
    );
    if (!first) throw new MalformedFile(`Sample "${header.name}" is empty`);
    return first.file;
  } finally {
    rmSync(ogg, { force: true });
  }
}
