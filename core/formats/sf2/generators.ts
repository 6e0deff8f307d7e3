/** Generators of SoundFont 2.04, 8.1.2, by what they are called there. */
export const GENERATORS = {
  startAddrsOffset: 0,
  endAddrsOffset: 1,
  startloopAddrsOffset: 2,
  endloopAddrsOffset: 3,
  startAddrsCoarseOffset: 4,
  modLfoToPitch: 5,
  vibLfoToPitch: 6,
  modEnvToPitch: 7,
  initialFilterFc: 8,
  initialFilterQ: 9,
  modLfoToFilterFc: 10,
  modEnvToFilterFc: 11,
  endAddrsCoarseOffset: 12,
  modLfoToVolume: 13,
  chorusEffectsSend: 15,
  reverbEffectsSend: 16,
  pan: 17,
  delayModLFO: 21,
  freqModLFO: 22,
  delayVibLFO: 23,
  freqVibLFO: 24,
  delayModEnv: 25,
  attackModEnv: 26,
  holdModEnv: 27,
  decayModEnv: 28,
  sustainModEnv: 29,
  releaseModEnv: 30,
  keynumToModEnvHold: 31,
  keynumToModEnvDecay: 32,
  delayVolEnv: 33,
  attackVolEnv: 34,
  holdVolEnv: 35,
  decayVolEnv: 36,
  sustainVolEnv: 37,
  releaseVolEnv: 38,
  keynumToVolEnvHold: 39,
  keynumToVolEnvDecay: 40,
  instrument: 41,
  keyRange: 43,
  velRange: 44,
  startloopAddrsCoarseOffset: 45,
  keynum: 46,
  velocity: 47,
  initialAttenuation: 48,
  endloopAddrsCoarseOffset: 50,
  coarseTune: 51,
  fineTune: 52,
  sampleID: 53,
  sampleModes: 54,
  scaleTuning: 56,
  exclusiveClass: 57,
  overridingRootKey: 58,
} as const;

export type GeneratorName = keyof typeof GENERATORS;

const byNumber = new Map(Object.entries(GENERATORS).map(([name, number]) => [number as number, name as GeneratorName]));
/** What a number stands for; undefined for those that are unused or reserved. */
export const generatorName = (number: number): GeneratorName | undefined => byNumber.get(number);

/** Values where a zone says nothing: 8.1.3. Those that are not here are 0. */
const DEFAULTS: Partial<Record<GeneratorName, number>> = {
  initialFilterFc: 13500,
  delayModLFO: -12000,
  delayVibLFO: -12000,
  delayModEnv: -12000,
  attackModEnv: -12000,
  holdModEnv: -12000,
  decayModEnv: -12000,
  releaseModEnv: -12000,
  delayVolEnv: -12000,
  attackVolEnv: -12000,
  holdVolEnv: -12000,
  decayVolEnv: -12000,
  releaseVolEnv: -12000,
  keynum: -1,
  velocity: -1,
  scaleTuning: 100,
  overridingRootKey: -1,
};

/** What cannot be added by a preset: samples, their places, and what is of the instrument alone. 8.1.2, 9.4. */
const OF_INSTRUMENT: ReadonlySet<GeneratorName> = new Set([
  ...(["startAddrsOffset", "endAddrsOffset", "startloopAddrsOffset", "endloopAddrsOffset"] as const),
  ...(["startAddrsCoarseOffset", "endAddrsCoarseOffset"] as const),
  ...(["startloopAddrsCoarseOffset", "endloopAddrsCoarseOffset"] as const),
  ...(["keynum", "velocity", "sampleModes", "exclusiveClass", "overridingRootKey"] as const),
  ...(["keyRange", "velRange", "instrument", "sampleID"] as const),
]);

/** Values that a zone says, signed; ranges as they lie in the file: low in the low byte. */
export type Generators = ReadonlyMap<GeneratorName, number>;

/** Of a zone: what it says, else what its global zone says, else the default; and what the preset adds to that. */
export function valueOf(name: GeneratorName, instrument: readonly Generators[], preset: readonly Generators[]): number {
  const said = instrument.find((g) => g.has(name))?.get(name) ?? DEFAULTS[name] ?? 0;
  if (OF_INSTRUMENT.has(name)) return said;
  return said + (preset.find((g) => g.has(name))?.get(name) ?? 0);
}
