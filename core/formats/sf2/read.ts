import type { AudioReader } from "../../audio/audio-reader";
import type { Frames, Hertz } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { MalformedFile, SliceSource, bytesAt } from "../bytes/bytes";
import type { Chunk, Records } from "./chunks";
import { listsOf, printable, recordsOf } from "./chunks";
import { type GeneratorName, type Generators, generatorName } from "./generators";
import type { RawModulator } from "./modulators";

/** A preset as a player finds it. */
export interface Preset {
  readonly name: string;
  readonly bank: number;
  readonly program: number;
}

/** A part of a preset or of an instrument: what it says, and what it refers to. */
export interface RawZone {
  readonly generators: Generators;
  readonly modulators: readonly RawModulator[];
}

/** The header of a sample. Places are frames of the whole, or of a compressed one, bytes. SoundFont 2.04, 7.10. */
export interface SampleHeader {
  readonly name: string;
  readonly start: number;
  readonly end: number;
  readonly loopFrom: number;
  readonly loopTo: number;
  readonly rate: Hertz;
  readonly key: number;
  readonly cents: number;
  /** In a chip that is not here. */
  readonly isRom: boolean;
  /** Ogg Vorbis, as SF3 has it. */
  readonly isVorbis: boolean;
}

/** More zones than any instrument has. */
const MOST_ZONES = 4096;

/**
 * A SoundFont 2.01 to 2.04, or SF3: opened by its lists alone, so that its samples may be of any size. Throws
 * `MalformedFile`.
 */
export class SoundFont {
  readonly name: string;
  readonly version: string;
  readonly presets: readonly Preset[];
  readonly samples: readonly SampleHeader[];
  private readonly lists: Record<"phdr" | "pbag" | "pmod" | "pgen" | "inst" | "ibag" | "imod" | "igen", Records>;
  private readonly smpl: Chunk;
  private readonly sm24: Chunk | null;

  constructor(private readonly source: ByteSource) {
    const lists = listsOf(source);
    const [info, sdta, pdta] = [lists.get("INFO"), lists.get("sdta"), lists.get("pdta")];
    if (!pdta) throw new MalformedFile("There are no presets: the list pdta is missing");
    const records = (name: string, bytes: number, least = 1) => recordsOf(source, pdta, name, bytes, least);
    this.lists = {
      ...{ phdr: records("phdr", 38), pbag: records("pbag", 4), pmod: records("pmod", 10, 0) },
      ...{ pgen: records("pgen", 4, 0), inst: records("inst", 22), ibag: records("ibag", 4) },
      ...{ imod: records("imod", 10, 0), igen: records("igen", 4, 0) },
    };
    this.smpl = sdta?.get("smpl") ?? { at: 0, bytes: 0 };
    const fine = sdta?.get("sm24") ?? null;
    // One byte a frame, filled up to an even number; else it is left aside. SoundFont 2.04, 6.2.
    this.sm24 = fine && fine.bytes >= this.smpl.bytes / 2 ? fine : null;
    const text = (name: string) => {
      const chunk = info?.get(name);
      const bytes = chunk ? bytesAt(source, chunk.at, Math.min(chunk.bytes, 256)) : new Uint8Array(0);
      const end = bytes.indexOf(0);
      return printable(end < 0 ? bytes : bytes.subarray(0, end));
    };
    this.name = text("INAM");
    const version = info?.get("ifil");
    const number = version && version.bytes >= 4 ? new DataView(bytesAt(source, version.at, 4).buffer) : null;
    this.version = number ? `${number.getUint16(0, true)}.${String(number.getUint16(2, true)).padStart(2, "0")}` : "";
    this.samples = headers(records("shdr", 46));
    const { phdr } = this.lists;
    this.presets = Array.from({ length: phdr.count - 1 }, (_, i) => ({
      name: phdr.text(i, 0, 20),
      program: phdr.view.getUint16(phdr.at(i) + 20, true),
      bank: phdr.view.getUint16(phdr.at(i) + 22, true),
    }));
  }

  /** Zones of a preset, the global one first where there is one. */
  presetZones(preset: number): readonly RawZone[] {
    const { phdr, pbag, pgen, pmod } = this.lists;
    const first = (i: number) => phdr.view.getUint16(phdr.at(i) + 24, true);
    return zonesIn("phdr", first(preset), first(preset + 1), pbag, pgen, pmod);
  }

  instrumentZones(instrument: number): readonly RawZone[] {
    const { inst, ibag, igen, imod } = this.lists;
    if (instrument >= inst.count - 1) throw new MalformedFile(`There is no instrument ${instrument}`);
    const first = (i: number) => inst.view.getUint16(inst.at(i) + 20, true);
    return zonesIn("inst", first(instrument), first(instrument + 1), ibag, igen, imod);
  }

  instrumentName(instrument: number): string {
    return this.lists.inst.text(instrument, 0, 20);
  }

  /** A sample to be read, of 16 or 24 bits; null where it is compressed, in ROM, or outside of the file. */
  sample(index: number): (AudioReader & { readonly rate: Hertz; readonly depth: "16" | "24" }) | null {
    const header = this.samples[index];
    if (!header || header.isRom || header.isVorbis) return null;
    const frames = header.end - header.start;
    if (frames < 1 || header.end * 2 > this.smpl.bytes) return null;
    const coarse = new SliceSource(this.source, this.smpl.at + 2 * header.start, 2 * frames);
    const fine = this.sm24 ? new SliceSource(this.source, this.sm24.at + header.start, frames) : null;
    return {
      ...{ frames, rate: header.rate, depth: fine ? "24" : "16", channels: 1 },
      read: (from, count, left, right, offset) => readWhole(coarse, fine, from, count, left, right, offset),
    };
  }

  /** The bytes of a compressed sample; null for others, and where it lies outside of the file. */
  vorbis(index: number): ByteSource | null {
    const header = this.samples[index];
    if (!header?.isVorbis || header.end <= header.start || header.end > this.smpl.bytes) return null;
    return new SliceSource(this.source, this.smpl.at + header.start, header.end - header.start);
  }
}

function readWhole(
  coarse: ByteSource,
  fine: ByteSource | null,
  from: Frames,
  count: Frames,
  left: Float32Array,
  right: Float32Array,
  offset: number,
): void {
  const words = bytesAt(coarse, 2 * from, 2 * count);
  const low = fine ? bytesAt(fine, from, count) : null;
  const view = new DataView(words.buffer);
  for (let i = 0; i < count; i++) {
    const x = (view.getInt16(2 * i, true) * 256 + (low?.[i] ?? 0)) / 8_388_608;
    left[offset + i] = right[offset + i] = x;
  }
}

function headers(shdr: Records): readonly SampleHeader[] {
  return Array.from({ length: shdr.count - 1 }, (_, i) => {
    const { view } = shdr;
    const at = shdr.at(i);
    const number = (offset: number) => view.getUint32(at + offset, true);
    const [start, end, type] = [number(20), number(24), view.getUint16(at + 44, true)];
    const isVorbis = (type & 0x10) !== 0;
    const key = view.getUint8(at + 40);
    // In SF3, loops count from the sample's own beginning.
    const zero = isVorbis ? 0 : start;
    return {
      ...{ name: shdr.text(i, 0, 20), start, end, isVorbis, isRom: (type & 0x8000) !== 0 },
      ...{ loopFrom: Math.max(0, number(28) - zero), loopTo: Math.max(0, number(32) - zero) },
      // 7.10: 400 to 50,000 Hz; what lies outside is mended, what is nonsense is the rate that most have.
      rate: number(36) >= 400 && number(36) <= 400_000 ? number(36) : 44_100,
      // 128 to 254 are illegal and 255 is unpitched: both play as key 60.
      key: key > 127 ? 60 : key,
      cents: view.getInt8(at + 41),
    };
  });
}

function zonesIn(
  what: string,
  from: number,
  to: number,
  bags: Records,
  gens: Records,
  mods: Records,
): readonly RawZone[] {
  if (from > to || to > bags.count - 1) throw new MalformedFile(`"${what}" refers to zones ${from} to ${to}`);
  if (to - from > MOST_ZONES) throw new MalformedFile(`"${what}" has more than ${MOST_ZONES} zones`);
  const place = (zone: number, offset: number) => bags.view.getUint16(bags.at(zone) + offset, true);
  return Array.from({ length: to - from }, (_, i) => {
    const zone = from + i;
    const [firstGen, lastGen] = [place(zone, 0), place(zone + 1, 0)];
    const [firstMod, lastMod] = [place(zone, 2), place(zone + 1, 2)];
    if (firstGen > lastGen || lastGen > gens.count) throw new MalformedFile(`Zone ${zone} has generators out of order`);
    if (firstMod > lastMod || lastMod > mods.count) throw new MalformedFile(`Zone ${zone} has modulators out of order`);
    const generators = new Map<GeneratorName, number>();
    for (let g = firstGen; g < lastGen; g++) {
      const name = generatorName(gens.view.getUint16(gens.at(g), true));
      if (!name) continue;
      const isUnsigned = name === "keyRange" || name === "velRange" || name === "instrument" || name === "sampleID";
      const at = gens.at(g) + 2;
      generators.set(name, isUnsigned ? gens.view.getUint16(at, true) : gens.view.getInt16(at, true));
    }
    const modulators = Array.from({ length: lastMod - firstMod }, (__, m): RawModulator => {
      const at = mods.at(firstMod + m);
      const word = (offset: number) => mods.view.getUint16(at + offset, true);
      return {
        source: word(0),
        to: word(2),
        amount: mods.view.getInt16(at + 4, true),
        by: word(6),
        transform: word(8),
      };
    });
    return { generators, modulators };
  });
}
