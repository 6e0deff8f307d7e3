import { bars } from "./bars";
import { chorus } from "./chorus";
import { compressor } from "./compressor";
import { convolution } from "./convolution";
import type { DeviceDeclaration } from "./device";
import { echo } from "./echo";
import { eq } from "./eq";
import { filter } from "./filter";
import { fm } from "./fm";
import { gate } from "./gate";
import { kit } from "./kit";
import { limiter } from "./limiter";
import { outboard } from "./outboard";
import { pitch } from "./pitch";
import { reverb } from "./reverb";
import { sampled } from "./sampled";
import { sampler } from "./sampler";
import { saturator } from "./saturator";
import { string } from "./string";
import { synth } from "./synth";
import { tremolo } from "./tremolo";
import { utility } from "./utility";

/** Every device type this program can compute, instruments first. */
export const catalogue: readonly DeviceDeclaration[] = [
  synth,
  fm,
  string,
  bars,
  kit,
  sampler,
  sampled,
  eq,
  filter,
  compressor,
  gate,
  limiter,
  saturator,
  echo,
  reverb,
  convolution,
  chorus,
  tremolo,
  pitch,
  utility,
  outboard,
];

const byType = new Map(catalogue.map((d) => [d.type, d]));

/**
 * Whether shares of a signal that pass such a device add up to the whole signal through it. Absent devices pass what
 * they get.
 */
export function sharesAddUp(type: string, linked: boolean): boolean {
  const declaration = byType.get(type);
  return !declaration || declaration.linear || (linked && declaration.dynamics);
}

/** The declaration of a type, or undefined for a device that is not installed here. */
export const declarationOf = (type: string): DeviceDeclaration | undefined => byType.get(type);
