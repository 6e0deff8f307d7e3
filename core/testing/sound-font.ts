import { GENERATORS, type GeneratorName } from "../formats/sf2/generators";
import type { RawModulator } from "../formats/sf2/modulators";

export interface WrittenSample {
  readonly name: string;
  /** Of one channel; or bytes of Ogg Vorbis, as SF3 has them. */
  readonly audio: Float32Array | Uint8Array;
  readonly rate: number;
  readonly key?: number;
  readonly cents?: number;
  readonly loopFrom?: number;
  readonly loopTo?: number;
}

export interface WrittenZone {
  readonly generators: Readonly<Partial<Record<GeneratorName, number>>>;
  readonly modulators?: readonly RawModulator[];
}

export interface WrittenFont {
  readonly name?: string;
  readonly samples: readonly WrittenSample[];
  readonly instruments: readonly { readonly name: string; readonly zones: readonly WrittenZone[] }[];
  readonly presets: readonly {
    readonly name: string;
    readonly bank: number;
    readonly program: number;
    readonly zones: readonly WrittenZone[];
  }[];
  /** With the lower eight bits of 24. */
  readonly fine?: boolean;
}

/** Keys or velocities from one to another, as a generator has them. */
export const range = (low: number, high: number): number => low | (high << 8);

const ascii = (text: string, bytes: number): number[] =>
  Array.from({ length: bytes }, (_, i) => (i < text.length ? text.charCodeAt(i) & 0x7f : 0));
const word = (n: number): number[] => [n & 255, (n >> 8) & 255];
const long = (n: number): number[] => [n & 255, (n >>> 8) & 255, (n >>> 16) & 255, n >>> 24];

const joined = (parts: readonly ArrayLike<number>[]): Uint8Array => {
  const all = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
};
const chunk = (name: string, body: ArrayLike<number>): Uint8Array =>
  joined([ascii(name, 4), long(body.length), body, body.length % 2 === 1 ? [0] : []]);
const list = (name: string, chunks: readonly Uint8Array[]): Uint8Array =>
  chunk("LIST", joined([ascii(name, 4), ...chunks]));

/** Frames of silence that stand behind every sample. SoundFont 2.04, 7.10. */
const BEHIND = 46;
/** Generators that have to come first or last in a zone. 8.1.2. */
const placeOf = (name: GeneratorName): number =>
  name === "keyRange" ? 0 : name === "velRange" ? 1 : name === "instrument" || name === "sampleID" ? 3 : 2;

/** Zones as bags, generators and modulators, and the number of the first bag of each owner. */
function bagged(owners: readonly { readonly zones: readonly WrittenZone[] }[]) {
  const [bags, gens, mods, firsts]: [number[], number[], number[], number[]] = [[], [], [], []];
  let [g, m, bag] = [0, 0, 0];
  for (const { zones } of owners) {
    firsts.push(bag);
    for (const { generators, modulators = [] } of zones) {
      bags.push(...word(g), ...word(m));
      bag++;
      const entries = Object.entries(generators) as [GeneratorName, number][];
      for (const [name, value] of entries.sort((a, b) => placeOf(a[0]) - placeOf(b[0]))) {
        gens.push(...word(GENERATORS[name]), ...word(value));
        g++;
      }
      for (const { source, to, amount, by, transform } of modulators) {
        mods.push(...[source, to, amount, by, transform].flatMap(word));
        m++;
      }
    }
  }
  firsts.push(bag);
  return {
    bags: [...bags, ...word(g), ...word(m)],
    gens: [...gens, ...word(0), ...word(0)],
    mods: [...mods, ...Array<number>(10).fill(0)],
    firsts,
  };
}

/** Writes a SoundFont 2.04 of samples of one channel. Its structure: SoundFont 2.04, 4 to 7. */
export function writeSoundFont({ name = "Own", samples, instruments, presets, fine = false }: WrittenFont): Uint8Array {
  const [coarse, low, headers]: [Uint8Array[], Uint8Array[], number[]] = [[], [], []];
  let at = 0;
  for (const s of samples) {
    const isVorbis = s.audio instanceof Uint8Array;
    const whole = Array.from(isVorbis ? [] : s.audio, (x) =>
      Math.max(-8388608, Math.min(8388607, Math.round(x * 8388608))),
    );
    const words = fine ? whole : whole.map((x) => Math.max(-8388608, Math.min(8388352, Math.round(x / 256) * 256)));
    const bytes = isVorbis ? s.audio : Uint8Array.from(words.flatMap((x) => word(x >> 8)));
    const behind = isVorbis ? 0 : 2 * BEHIND;
    coarse.push(bytes, new Uint8Array(behind));
    low.push(
      Uint8Array.from(words, (x) => x & 255),
      new Uint8Array(BEHIND),
    );
    const length = isVorbis ? bytes.length : words.length;
    const zero = isVorbis ? 0 : at;
    headers.push(
      ...ascii(s.name, 20),
      ...long(at),
      ...long(at + length),
      ...long(zero + (s.loopFrom ?? 0)),
      ...long(zero + (s.loopTo ?? length)),
      ...long(s.rate),
      s.key ?? 60,
      (s.cents ?? 0) & 255,
      ...word(0),
      ...word(isVorbis ? 0x11 : 1),
    );
    at += length + behind / 2;
  }
  const upper = bagged(presets);
  const lower = bagged(instruments);
  const phdr = presets.flatMap((p, i) => [
    ...ascii(p.name, 20),
    ...word(p.program),
    ...word(p.bank),
    ...word(upper.firsts[i] ?? 0),
    ...Array<number>(12).fill(0),
  ]);
  const inst = instruments.flatMap((p, i) => [...ascii(p.name, 20), ...word(lower.firsts[i] ?? 0)]);
  const smpl = joined(coarse);
  const lists = [
    list("INFO", [
      chunk("ifil", [...word(2), ...word(4)]),
      chunk("isng", ascii("EMU8000", 8)),
      chunk("INAM", ascii(name, name.length + 2 - (name.length % 2))),
    ]),
    list("sdta", [chunk("smpl", smpl), ...(fine ? [chunk("sm24", joined(low))] : [])]),
    list("pdta", [
      chunk("phdr", [
        ...phdr,
        ...ascii("EOP", 20),
        ...word(0),
        ...word(0),
        ...word(upper.firsts.at(-1) ?? 0),
        ...Array<number>(12).fill(0),
      ]),
      chunk("pbag", upper.bags),
      chunk("pmod", upper.mods),
      chunk("pgen", upper.gens),
      chunk("inst", [...inst, ...ascii("EOI", 20), ...word(lower.firsts.at(-1) ?? 0)]),
      chunk("ibag", lower.bags),
      chunk("imod", lower.mods),
      chunk("igen", lower.gens),
      chunk("shdr", [...headers, ...ascii("EOS", 20), ...Array<number>(26).fill(0)]),
    ]),
  ];
  return chunk("RIFF", joined([ascii("sfbk", 4), ...lists]));
}
