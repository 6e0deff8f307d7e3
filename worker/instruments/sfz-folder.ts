import { rmSync } from "node:fs";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile, MemorySource } from "../../core/formats/bytes/bytes";
import { type SampleFacts, readSfz } from "../../core/formats/sfz/read";
import { samplesOf } from "../../core/instruments/instrument";
import { sampleLoop } from "../../core/formats/wav/loop";
import { pieceOf } from "../../server/audio/file-bytes";
import { type ZipEntry, openZip } from "../../server/packages/open-zip";
import { importFile } from "../import/import-file";
import type { InstrumentSource } from "./source";

/** What is read as text: instruments, and what they include. */
const TEXT = /\.(sfz|sfzh|txt|inc|h)$/i;
const MOST_TEXT_BYTES = 4 << 20;
const MOST_TEXTS = 2000;
const MOST_OF_TEXTS = 64 << 20;
/** A recording with a loop in it is short; of longer ones that are packed no loop is looked for. */
const WAV = /\.wav$/i;
const MOST_UNPACKED = 64 << 20;

/** A ZIP of a folder: every SFZ in it that has regions is a preset. Names of files are found in any case. */
export async function openSfzFolder(path: string, source: ByteSource): Promise<InstrumentSource> {
  const entries = new Map((await openZip(source)).map((entry) => [entry.name.toLowerCase(), entry]));
  const texts = new Map<string, string>();
  let textBytes = 0;
  for (const [name, entry] of entries) {
    if (!TEXT.test(name) || entry.bytes > MOST_TEXT_BYTES) continue;
    textBytes += entry.bytes;
    if (texts.size >= MOST_TEXTS || textBytes > MOST_OF_TEXTS)
      throw new MalformedFile(`There are more than ${MOST_TEXTS} texts in it, or ${MOST_OF_TEXTS >> 20} MB of them`);
    texts.set(name, new TextDecoder().decode(await entry.read(MOST_TEXT_BYTES)));
  }
  const textOf = (name: string): string | null => texts.get(name.toLowerCase()) ?? null;
  /** Loops of recordings that are packed, as far as they were unpacked. */
  const unpacked = new Map<string, SampleFacts>();
  const factsOf = (name: string): SampleFacts | null => {
    const stored = entries.get(name.toLowerCase())?.stored;
    return stored ? { loop: sampleLoop(stored) } : (unpacked.get(name.toLowerCase()) ?? null);
  };
  const unpackLoops = async (samples: readonly string[]): Promise<void> => {
    for (const sample of samples.map((name) => name.toLowerCase())) {
      const entry = entries.get(sample);
      if (!entry || entry.stored || unpacked.has(sample) || !WAV.test(sample) || entry.bytes > MOST_UNPACKED) continue;
      unpacked.set(sample, { loop: sampleLoop(new MemorySource(await entry.read(MOST_UNPACKED))) });
    }
  };
  const read = (name: string, id: string) => readSfz(name, textOf, { id, factsOf });
  const names = [...entries.values()].map((e) => e.name).filter((name) => /\.sfz$/i.test(name));
  const whole = names.sort().filter((name) => hasRegions(() => read(name, "look")));
  const [first = names[0]] = whole;
  if (first === undefined) throw new MalformedFile("There is neither a SoundFont nor an SFZ in it");
  // The fault of one that cannot be read is what is said where there is no other.
  if (whole.length === 0) read(first, "look");
  return {
    name: first.includes("/") ? (first.split("/")[0] ?? first) : baseOf(first),
    presets: whole.map((name, i) => ({ name: baseOf(name), bank: 0, program: i % 128 })),
    async read(preset, { id }) {
      const name = whole[preset];
      if (name === undefined) throw new MalformedFile(`There is no preset ${preset}`);
      await unpackLoops(samplesOf(read(name, id).instrument));
      const { instrument, lost } = read(name, id);
      const zones = instrument.zones.filter((z) => entries.has(z.sample.toLowerCase()));
      const gone = instrument.zones.length - zones.length;
      if (zones.length === 0) throw new MalformedFile(`The recordings of "${baseOf(name)}" are not in it`);
      return {
        instrument: { ...instrument, zones },
        lost: [
          ...lost.map(({ opcode, regions }) => ({ what: `${opcode} is not played`, zones: regions })),
          ...(gone > 0 ? [{ what: "Recordings that are not there are silent", zones: gone }] : []),
        ],
      };
    },
    async write(sample, to) {
      const entry = entries.get(sample.toLowerCase());
      if (!entry) throw new MalformedFile(`"${sample}" is not in it`);
      return { name: baseOf(entry.name), file: await imported(path, entry, to) };
    },
  };
}

/** One recording as a WAV file at its own rate; of one that is packed, unpacked first. */
async function imported(path: string, entry: ZipEntry, to: string) {
  const unpacked = `${to}.unpacked`;
  try {
    if (!entry.stored) await entry.unpack(unpacked);
    const from = entry.stored ? pieceOf(path, entry.stored) : unpacked;
    const [first, ...more] = await importFile(
      { kind: "import", from, to, name: baseOf(entry.name), rate: null },
      () => true,
    );
    for (const { file } of more) rmSync(file.path, { force: true });
    if (!first) throw new MalformedFile(`"${entry.name}" is empty`);
    return first.file;
  } finally {
    rmSync(unpacked, { force: true });
  }
}

function hasRegions(read: () => unknown): boolean {
  try {
    read();
    return true;
  } catch (error) {
    if (error instanceof MalformedFile) return false;
    throw error;
  }
}

/** A file's name without its folders and its ending. */
const baseOf = (path: string): string => path.slice(path.lastIndexOf("/") + 1).replace(/\.[^.]*$/, "");
