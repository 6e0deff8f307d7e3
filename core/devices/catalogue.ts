import { bars } from "./bars";
import { compressor } from "./compressor";
import type { DeviceDeclaration } from "./device";
import { eq } from "./eq";
import { limiter } from "./limiter";
import { reverb } from "./reverb";
import { synth } from "./synth";
import { utility } from "./utility";

/** Every device type this program can compute, instruments first. */
export const catalogue: readonly DeviceDeclaration[] = [synth, bars, eq, compressor, limiter, reverb, utility];

const byType = new Map(catalogue.map((d) => [d.type, d]));

/** Whether shares of a signal that pass such a device add up to the whole signal through it. Absent devices pass what they get. */
export function sharesAddUp(type: string, linked: boolean): boolean {
  const declaration = byType.get(type);
  return !declaration || declaration.linear || (linked && declaration.dynamics);
}

/** The declaration of a type, or undefined for a device that is not installed here. */
export const declarationOf = (type: string): DeviceDeclaration | undefined => byType.get(type);
