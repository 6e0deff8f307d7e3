import type { Instrument, Modulator, Zone } from "../../instruments/instrument";
import { PLAIN_ZONE } from "../../instruments/instrument";
import { octaves } from "../../math";
import { MalformedFile } from "../bytes/bytes";
import type { Db, Hertz, Seconds } from "../../units";
import { type GeneratorName, type Generators, valueOf } from "./generators";
import { modulatorsFor } from "./modulators";
import type { RawZone, SampleHeader, SoundFont } from "./read";

/** Something that a preset asks for and does not get here. */
export interface Lost {
  readonly what: "reverb send" | "chorus send" | "modulator" | "forced velocity" | "ROM sample" | "sample missing";
  /** Which, where there are several. */
  readonly which: string;
  readonly zones: number;
}

export interface ReadPreset {
  /** Samples are named by their number in the file. */
  readonly instrument: Instrument;
  readonly lost: readonly Lost[];
}

export interface PresetOptions {
  readonly id: string;
  /**
   * How much of `initialAttenuation` counts: all of it, as the specification says, or 0.4 of it, as hardware did that
   * many files were made with.
   */
  readonly attenuation?: 1 | 0.4;
}

/** Timecents. 8.1.3: t = 2^(x/1200) s; the lowest value is no time at all. */
const secondsOf = (timecents: number): Seconds => (timecents <= -32_768 ? 0 : Math.min(200, octaves(timecents / 1200)));
/** Absolute cents: f = 8.176 Hz * 2^(x/1200). */
const hertzOf = (cents: number): Hertz => 8.176 * octaves(cents / 1200);
/** As fast as anything moves, and as far: twenty octaves. */
const FASTEST: Hertz = 200;
const FARTHEST = 24_000;
/** More than any instrument has. */
const MOST_ZONES = 4096;
const MOST_MODULATORS = 64;
/** Zones that are looked at, also those that play nowhere. */
const MOST_LOOKED = 65_536;
const decibels = (centibels: number): Db => centibels / 10;
const within = (x: number, least: number, most: number) => Math.max(least, Math.min(most, x));

/** A preset as a neutral instrument. Throws `MalformedFile`. SoundFont 2.04, 9.4: how its parts come together. */
export function readPreset(font: SoundFont, preset: number, { id, attenuation = 1 }: PresetOptions): ReadPreset {
  const zones: Zone[] = [];
  const lists: (readonly Modulator[])[] = [];
  const listOf = new Map<string, number>();
  let looked = 0;
  const lost = new Map<string, Lost>();
  const lose = (what: Lost["what"], which = "") => {
    const known = lost.get(`${what} ${which}`);
    lost.set(`${what} ${which}`, { what, which, zones: (known?.zones ?? 0) + 1 });
  };
  for (const { own: presetZone, global: presetGlobal } of local(font.presetZones(preset), "instrument")) {
    const upper = [presetZone.generators, ...(presetGlobal ? [presetGlobal.generators] : [])];
    const instrument = presetZone.generators.get("instrument") ?? 0;
    for (const { own, global } of local(font.instrumentZones(instrument), "sampleID")) {
      const lower = [own.generators, ...(global ? [global.generators] : [])];
      if (++looked > MOST_LOOKED) throw new MalformedFile(`The preset refers to more than ${MOST_LOOKED} zones`);
      const sample = own.generators.get("sampleID") ?? -1;
      const header = font.samples[sample];
      if (!header || header.isRom || (!font.sample(sample) && !font.vorbis(sample))) {
        lose(header?.isRom ? "ROM sample" : "sample missing", header?.name ?? String(sample));
        continue;
      }
      const { modulators, lost: missed } = modulatorsFor(
        [own.modulators, ...(global ? [global.modulators] : [])],
        [presetZone.modulators, ...(presetGlobal ? [presetGlobal.modulators] : [])],
      );
      for (const m of missed) lose("modulator", m.to);
      const kept = modulators.slice(0, MOST_MODULATORS);
      if (kept.length < modulators.length) lose("modulator", "more than a zone has here");
      const text = JSON.stringify(kept);
      const list = listOf.get(text) ?? lists.push(kept) - 1;
      listOf.set(text, list);
      const value = (name: GeneratorName) => valueOf(name, lower, upper);
      if (value("reverbEffectsSend") > 0) lose("reverb send");
      if (value("chorusEffectsSend") > 0) lose("chorus send");
      if (value("velocity") >= 0) lose("forced velocity");
      const [keys, velocities] = [rangeOf("keyRange", lower, upper), rangeOf("velRange", lower, upper)];
      if (keys[0] > keys[1] || velocities[0] > velocities[1]) continue;
      if (zones.length >= MOST_ZONES) throw new MalformedFile(`The preset has more than ${MOST_ZONES} zones`);
      zones.push(
        spare({
          ...{ sample: String(sample), lowKey: keys[0], highKey: keys[1], modulators: list },
          ...{ softest: velocities[0], loudest: velocities[1] },
          ...pitchOf(header, value),
          ...placesOf(header, value),
          ...soundOf(value, attenuation),
        }),
      );
    }
  }
  const { name, bank, program } = font.presets[preset] ?? { name: "", bank: 0, program: 0 };
  const instrument = {
    ...{ id, name: name === "" ? `Preset ${preset + 1}` : name, zones, modulators: lists },
    origin: `${font.name}, bank ${bank}, program ${program}`.slice(0, 300),
  };
  return { instrument, lost: [...lost.values()] };
}

/** Zones that refer to something, each with the global one: the first, where it refers to nothing. 7.3, 7.7. */
function local(zones: readonly RawZone[], refers: "instrument" | "sampleID") {
  const [first] = zones;
  const global = first && !first.generators.has(refers) ? first : null;
  return zones.filter((z) => z.generators.has(refers)).map((own) => ({ own, global }));
}

/** Of keys or velocities: what both sides allow. */
function rangeOf(name: "keyRange" | "velRange", lower: readonly Generators[], upper: readonly Generators[]) {
  const of = (list: readonly Generators[]) => {
    const bits = list.find((g) => g.has(name))?.get(name);
    return bits === undefined ? [0, 127] : [bits & 0xff, bits >> 8];
  };
  const [[low = 0, high = 127], [from = 0, to = 127]] = [of(lower), of(upper)];
  return [Math.min(127, Math.max(low, from)), Math.min(127, high, to)] as const;
}

type Value = (name: GeneratorName) => number;

function pitchOf(header: SampleHeader, value: Value) {
  const root = value("overridingRootKey");
  const rootKey = root >= 0 && root <= 127 ? root : header.key;
  const keyCents = within(value("scaleTuning"), -1200, 1200);
  const cents = 100 * value("coarseTune") + value("fineTune") + header.cents;
  const forced = value("keynum");
  // One key for all: what it would add to the root is a tuning.
  if (forced < 0) return { rootKey, keyCents, cents: within(cents, -FARTHEST, FARTHEST) };
  return { rootKey, keyCents: 0, cents: within(cents + keyCents * (forced - rootKey), -FARTHEST, FARTHEST) };
}

const LOOPS = ["none", "continuous", "none", "until release"] as const;

function placesOf(header: SampleHeader, value: Value) {
  const offset = (fine: GeneratorName, coarse: GeneratorName) => value(fine) + 32_768 * value(coarse);
  const end = offset("endAddrsOffset", "endAddrsCoarseOffset");
  const loop = LOOPS[value("sampleModes") & 3] ?? "none";
  const loopFrom = header.loopFrom + offset("startloopAddrsOffset", "startloopAddrsCoarseOffset");
  const loopTo = header.loopTo + offset("endloopAddrsOffset", "endloopAddrsCoarseOffset");
  const isLooped = loop !== "none" && loopTo > loopFrom;
  return {
    from: Math.max(0, offset("startAddrsOffset", "startAddrsCoarseOffset")),
    // Of a compressed sample the length is not known before it is opened.
    to: end === 0 || header.isVorbis ? null : Math.max(0, header.end - header.start + Math.min(0, end)),
    ...(isLooped ? { loop, loopFrom: Math.max(0, loopFrom), loopTo: Math.max(0, loopTo) } : {}),
  };
}

function soundOf(value: Value, attenuation: number) {
  const seconds = (name: GeneratorName) => secondsOf(value(name));
  const cents = (name: GeneratorName) => within(value(name), -FARTHEST, FARTHEST);
  const hertz = (name: GeneratorName) => Math.min(FASTEST, hertzOf(value(name)));
  return {
    gainDb: -attenuation * decibels(within(value("initialAttenuation"), 0, 1440)),
    pan: within(value("pan") / 500, -1, 1),
    volume: {
      ...{ delayS: seconds("delayVolEnv"), attackS: seconds("attackVolEnv"), holdS: seconds("holdVolEnv") },
      ...{ decayS: seconds("decayVolEnv"), releaseS: seconds("releaseVolEnv") },
      sustainDb: decibels(within(value("sustainVolEnv"), 0, 1440)),
      ...{ holdKeyCents: cents("keynumToVolEnvHold"), decayKeyCents: cents("keynumToVolEnvDecay") },
    },
    sweep: {
      ...{ delayS: seconds("delayModEnv"), attackS: seconds("attackModEnv"), holdS: seconds("holdModEnv") },
      ...{ decayS: seconds("decayModEnv"), releaseS: seconds("releaseModEnv") },
      sustain: 1 - within(value("sustainModEnv"), 0, 1000) / 1000,
      ...{ holdKeyCents: cents("keynumToModEnvHold"), decayKeyCents: cents("keynumToModEnvDecay") },
      ...{ cents: cents("modEnvToPitch"), filterCents: cents("modEnvToFilterFc") },
    },
    filter: "low" as const,
    filterHz: hertzOf(within(value("initialFilterFc"), 1500, 13_500)),
    resonanceDb: decibels(within(value("initialFilterQ"), 0, 960)),
    resonanceTakes: true,
    vibrato: { delayS: seconds("delayVibLFO"), hz: hertz("freqVibLFO"), cents: cents("vibLfoToPitch") },
    lfo: {
      ...{ delayS: seconds("delayModLFO"), hz: hertz("freqModLFO"), cents: cents("modLfoToPitch") },
      ...{ filterCents: cents("modLfoToFilterFc"), db: decibels(within(value("modLfoToVolume"), -960, 960)) },
    },
    exclusive: Math.max(0, value("exclusiveClass")),
    stoppedBy: Math.max(0, value("exclusiveClass")),
  };
}

/** A zone without what is plain anyway: documents stay small. */
function spare(zone: Zone): Zone {
  const plain = PLAIN_ZONE as Readonly<Record<string, unknown>>;
  const without = (object: object, than: Readonly<Record<string, unknown>>): object =>
    Object.fromEntries(
      Object.entries(object).flatMap(([key, value]) => {
        const other = than[key];
        if (value === other) return [];
        if (typeof value !== "object" || value === null || Array.isArray(value)) return [[key, value]];
        const rest = without(value as object, (other ?? {}) as Readonly<Record<string, unknown>>);
        return Object.keys(rest).length === 0 ? [] : [[key, rest]];
      }),
    );
  return without(zone, plain) as Zone;
}
