import type { z } from "zod";
import type { MODULATED } from "./modulated";
import type { instrumentSchema, modulatorSchema, zoneSchema } from "./instrument-schema";

/**
 * An instrument made of recordings, as SoundFont 2 and SFZ describe them, in one neutral form: zones of a recording
 * over keys and velocities. What a zone does not say has its plain value (`PLAIN_ZONE`), so that documents stay small.
 */

type Deep<T> = T extends (infer U)[]
  ? readonly Deep<U>[]
  : T extends object
    ? { readonly [K in keyof T]: Deep<T[K]> }
    : T;

export type Zone = Deep<z.infer<typeof zoneSchema>>;
export type Instrument = Deep<z.infer<typeof instrumentSchema>>;
export type Modulator = Deep<z.infer<typeof modulatorSchema>>;
export type ModulatorSource = Modulator["source"];
export type Modulated = (typeof MODULATED)[number];

type Whole<T> = { readonly [K in keyof T]-?: Exclude<T[K], undefined> };
type Part<K extends keyof Zone> = Whole<Exclude<Zone[K], undefined>>;
/** A zone with everything said. */
export type WholeZone = Omit<Whole<Zone>, "volume" | "sweep" | "vibrato" | "lfo"> & {
  readonly volume: Part<"volume">;
  readonly sweep: Part<"sweep">;
  readonly vibrato: Part<"vibrato">;
  readonly lfo: Part<"lfo">;
};

const PLAIN_ENVELOPE = {
  ...{ delayS: 0, attackS: 0, holdS: 0, decayS: 0, releaseS: 0.001 },
  ...{ holdKeyCents: 0, decayKeyCents: 0 },
} as const;

/** What a zone is where it says nothing. */
export const PLAIN_ZONE: Omit<WholeZone, "sample"> = {
  ...{ lowKey: 0, highKey: 127, softest: 0, loudest: 127, turn: 0, turns: 1, chanceFrom: 0, chanceTo: 1 },
  ...{ plays: "attack", playsToEnd: false, rootKey: 60, keyCents: 100, cents: 0, from: 0, to: null },
  ...{ loop: "none", loopFrom: 0, loopTo: 0, gainDb: 0, pan: 0, touch: 0, keyDb: 0, keyDbFrom: 60 },
  ...{ keyFade: null, velocityFade: null, fadesByPower: true },
  volume: { ...PLAIN_ENVELOPE, sustainDb: 0 },
  sweep: { ...PLAIN_ENVELOPE, sustain: 1, cents: 0, filterCents: 0 },
  ...{ filter: "off", filterHz: 20_000, resonanceDb: 0, resonanceTakes: false },
  ...{ filterKeyCents: 0, filterVelocityCents: 0 },
  vibrato: { delayS: 0, hz: 8.176, cents: 0 },
  lfo: { delayS: 0, hz: 8.176, cents: 0, filterCents: 0, db: 0 },
  ...{ exclusive: 0, stoppedBy: 0, stopsSlowly: false, modulators: 0 },
};

export const wholeZone = (zone: Zone): WholeZone => ({
  ...PLAIN_ZONE,
  ...(zone as Partial<WholeZone>),
  sample: zone.sample,
  volume: { ...PLAIN_ZONE.volume, ...(zone.volume as Partial<WholeZone["volume"]>) },
  sweep: { ...PLAIN_ZONE.sweep, ...(zone.sweep as Partial<WholeZone["sweep"]>) },
  vibrato: { ...PLAIN_ZONE.vibrato, ...(zone.vibrato as Partial<WholeZone["vibrato"]>) },
  lfo: { ...PLAIN_ZONE.lfo, ...(zone.lfo as Partial<WholeZone["lfo"]>) },
});

/** Recordings of an instrument, each once. */
export const samplesOf = ({ zones }: Instrument): readonly string[] => [...new Set(zones.map((z) => z.sample))];

/** The instrument with other names for its recordings; zones whose recording has none are left out. */
export const withSamples = (instrument: Instrument, nameOf: (sample: string) => string | undefined): Instrument => ({
  ...instrument,
  zones: instrument.zones.flatMap((zone) => {
    const sample = nameOf(zone.sample);
    return sample === undefined ? [] : [{ ...zone, sample }];
  }),
});
