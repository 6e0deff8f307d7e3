import { concave, convex } from "./shapes";
import type { Modulated, Modulator, ModulatorSource } from "./instrument";

/** Where the sources of modulators stand: each from 0 to 1, a bend from 0 over its middle 0.5 to 1. */
export interface Positions {
  readonly velocity: number;
  readonly key: number;
  readonly bend: number;
  readonly pressure: number;
  /** Of a controller of MIDI. */
  controller(number: number): number;
}

/**
 * Value of a source: 0 to 1, or -1 to 1. A concave one from 1 to 0 makes an amount of 960 cB the square of what it
 * listens to. SoundFont 2.04, 8.2.
 */
export function sourceValue({ from, curve, falls, bipolar }: ModulatorSource, at: Positions): number {
  if (from === "none") return 1;
  const position = typeof from === "number" ? at.controller(from) : at[from];
  const x = falls ? 1 - position : position;
  if (curve === "switch") return x >= 0.5 ? 1 : bipolar ? -1 : 0;
  const shape = (v: number) => (curve === "linear" ? v : curve === "concave" ? concave(v) : convex(v));
  if (!bipolar) return shape(x);
  // Each half is a curve of its own, from the middle outwards.
  return x >= 0.5 ? shape(2 * x - 1) : -shape(1 - 2 * x);
}

/** Whether a modulator can move while a note sounds. */
export const isMoving = ({ source, by }: Modulator): boolean =>
  [source.from, by.from].some((from) => from !== "none" && from !== "velocity" && from !== "key");

/** Sums what modulators say into `into`, which is cleared first. SoundFont 2.04, 9.5: amount times both sources. */
export function modulate(modulators: readonly Modulator[], at: Positions, into: Record<Modulated, number>): void {
  for (const to of Object.keys(into) as Modulated[]) into[to] = 0;
  for (const { source, by, to, amount, absolute } of modulators) {
    const value = amount * sourceValue(source, at) * sourceValue(by, at);
    into[to] += absolute ? Math.abs(value) : value;
  }
}
