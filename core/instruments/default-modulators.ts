import type { Modulator, ModulatorSource } from "./instrument";

const NONE: ModulatorSource = { from: "none", curve: "linear", falls: false, bipolar: false };
const of = (from: ModulatorSource["from"], curve: ModulatorSource["curve"], falls: boolean): ModulatorSource => ({
  ...{ from, curve, falls, bipolar: false },
});
/** 960 cB, taken away. */
const MOST_DB = -96;

/**
 * What every zone of a SoundFont does unless it says otherwise, as far as something here moves it: SoundFont 2.04, 8.4.
 * Volume, pan and pitch wheel belong to the track and to its notes.
 */
export const DEFAULT_MODULATORS: readonly Modulator[] = [
  // 8.4.1, velocity to attenuation.
  { source: of("velocity", "concave", true), by: NONE, to: "gainDb", amount: MOST_DB, absolute: false },
  // 8.4.2, velocity to the filter's cutoff.
  { source: of("velocity", "linear", true), by: NONE, to: "filterCents", amount: -2400, absolute: false },
  // 8.4.4, the modulation wheel to vibrato.
  { source: of(1, "linear", false), by: NONE, to: "vibratoCents", amount: 50, absolute: false },
  // 8.4.7, expression to attenuation.
  { source: of(11, "concave", true), by: NONE, to: "gainDb", amount: MOST_DB, absolute: false },
];
