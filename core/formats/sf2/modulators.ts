import { DEFAULT_MODULATORS } from "../../instruments/default-modulators";
import type { Modulated, Modulator, ModulatorSource } from "../../instruments/instrument";
import { GENERATORS, generatorName } from "./generators";

/** A modulator as it lies in the file. SoundFont 2.04, 7.4. */
export interface RawModulator {
  readonly source: number;
  readonly to: number;
  readonly amount: number;
  readonly by: number;
  readonly transform: number;
}

/** What a modulator adds to, and how much of that one unit of the file is. */
const TARGETS: Readonly<Partial<Record<number, readonly [to: Modulated, unit: number]>>> = {
  [GENERATORS.initialAttenuation]: ["gainDb", -0.1],
  [GENERATORS.initialFilterFc]: ["filterCents", 1],
  [GENERATORS.initialFilterQ]: ["resonanceDb", 0.1],
  [GENERATORS.pan]: ["pan", 1 / 500],
  [GENERATORS.coarseTune]: ["cents", 100],
  [GENERATORS.fineTune]: ["cents", 1],
  [GENERATORS.vibLfoToPitch]: ["vibratoCents", 1],
  [GENERATORS.modLfoToPitch]: ["lfoCents", 1],
  [GENERATORS.modLfoToFilterFc]: ["lfoFilterCents", 1],
  [GENERATORS.modLfoToVolume]: ["lfoDb", 0.1],
  [GENERATORS.modEnvToPitch]: ["sweepCents", 1],
  [GENERATORS.modEnvToFilterFc]: ["sweepFilterCents", 1],
  [GENERATORS.attackVolEnv]: ["attackCents", 1],
  [GENERATORS.holdVolEnv]: ["holdCents", 1],
  [GENERATORS.decayVolEnv]: ["decayCents", 1],
  [GENERATORS.releaseVolEnv]: ["releaseCents", 1],
  [GENERATORS.startAddrsOffset]: ["startFrames", 1],
  [GENERATORS.startAddrsCoarseOffset]: ["startFrames", 32_768],
};

const CURVES = ["linear", "concave", "convex", "switch"] as const;
/** Sources that are no controllers of MIDI. 8.2.1. */
const GENERAL: Readonly<Partial<Record<number, ModulatorSource["from"]>>> = {
  0: "none",
  2: "velocity",
  3: "key",
};

/** A source from its bits: 8.2. Null for what nothing here plays: pressure, the wheel of pitch, links. */
function sourceOf(bits: number): ModulatorSource | null {
  const index = bits & 0x7f;
  const from = (bits & 0x80) !== 0 ? index : GENERAL[index];
  const curve = CURVES[bits >> 10];
  if (from === undefined || curve === undefined) return null;
  return { from, curve, falls: (bits & 0x100) !== 0, bipolar: (bits & 0x200) !== 0 };
}

/** Two modulators are the same where all but their amounts are. 9.5.1. */
const nameOf = (m: RawModulator): string => [m.source, m.to, m.by, m.transform].join();

/** The defaults by their bits, so that a file's own may stand in their place. 8.4; those of volume and pan as well. */
const DEFAULT_NAMES: readonly (readonly [name: string, modulator: Modulator | null])[] = [
  ["1282,48,0,0", DEFAULT_MODULATORS[0] ?? null],
  ["258,8,0,0", DEFAULT_MODULATORS[1] ?? null],
  ["129,6,0,0", DEFAULT_MODULATORS[2] ?? null],
  ["1419,48,0,0", DEFAULT_MODULATORS[3] ?? null],
  // Channel pressure, volume, pan, reverb, chorus, the wheel of pitch.
  ...["13,6,0,0", "1415,48,0,0", "650,17,0,0", "219,16,0,0", "221,15,0,0", "526,59,16,0"].map(
    (name) => [name, null] as const,
  ),
];

/** What a modulator is that nothing here plays, for people. */
export type LostModulator = { readonly from: number; readonly to: string };

function modulatorOf(raw: RawModulator): Modulator | LostModulator {
  const [source, by] = [sourceOf(raw.source), sourceOf(raw.by)];
  const target = TARGETS[raw.to];
  if (!source || !by || !target || (raw.transform !== 0 && raw.transform !== 2))
    return { from: raw.source, to: generatorName(raw.to) ?? String(raw.to) };
  return { source, by, to: target[0], amount: raw.amount * target[1], absolute: raw.transform === 2 };
}

/**
 * The modulators of a zone: the defaults, in whose place those of the instrument's global zone stand, then its own; the
 * preset's are added to them. 9.5.
 */
export function modulatorsFor(
  instrument: readonly (readonly RawModulator[])[],
  preset: readonly (readonly RawModulator[])[],
): { readonly modulators: readonly Modulator[]; readonly lost: readonly LostModulator[] } {
  const own = new Map<string, RawModulator>();
  for (const list of [...instrument].reverse()) for (const m of list) own.set(nameOf(m), m);
  const added = new Map<string, RawModulator>();
  for (const list of [...preset].reverse()) for (const m of list) added.set(nameOf(m), m);
  const plain = DEFAULT_NAMES.flatMap(([name, modulator]) => (own.has(name) || !modulator ? [] : [modulator]));
  const raw = [...own.values(), ...added.values()].filter((m) => m.amount !== 0);
  const read = raw.map(modulatorOf);
  return {
    modulators: [...plain, ...read.flatMap((m) => ("amount" in m ? [m] : []))],
    lost: read.flatMap((m) => ("amount" in m ? [] : [m])),
  };
}
