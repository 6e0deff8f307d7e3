import type { Db, Frames, Hertz, Seconds } from "../units";
import type { Arena } from "../engine/arena";

/** One parameter as a person meets it: its unit, range, default, and how a control should travel through the range. */
export interface ParamDeclaration {
  readonly id: string;
  readonly name: string;
  readonly unit: "Hz" | "dB" | "ms" | "s" | "%" | ":1" | "cents" | "voices" | "x" | "";
  readonly min: number;
  readonly max: number;
  readonly default: number;
  /** `log`: equal steps are equal ratios. `steps`: whole numbers. `switch`: 0 or 1. */
  readonly taper: "linear" | "log" | "steps" | "switch";
}

/** Parameter values by id, complete: defaults filled in. */
export type Params = Readonly<Record<string, number>>;

/** A note as an instrument plays it, in frames of the timeline. */
export interface PlayedNote {
  readonly start: Frames;
  readonly frames: Frames;
  readonly pitch: number;
  readonly velocity: number;
}

export interface ProcessorContext {
  readonly rate: Hertz;
  readonly arena: Arena;
  readonly params: Params;
  /** From the device's id: two equal devices with different ids make different noise, the same one always the same. */
  readonly seed: number;
  /** Sorted by start; empty for effects. */
  readonly notes: readonly PlayedNote[];
}

/** Signal of the key track, frame-aligned with the device's own signal. */
export interface KeySignal {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/**
 * A device at work on one path. Blocks are whole quanta of `QUANTUM` frames; nothing it does may depend on
 * how many quanta a block has.
 */
export interface Processor {
  /**
   * Processes `frames` frames in place (an instrument adds to silence). `at` is the timeline frame of the first one; it is
   * negative while the latency in front of the device fills.
   */
  process(left: Float32Array, right: Float32Array, frames: Frames, at: Frames, key: KeySignal | null): void;
  /** True when silence in would give exact silence out and leave every state as it is. */
  readonly resting: boolean;
}

export interface DeviceDeclaration {
  readonly type: string;
  readonly name: string;
  /** What it does, in one line. */
  readonly about: string;
  readonly role: "instrument" | "effect";
  readonly params: readonly ParamDeclaration[];
  /** True when the device's output for a sum is the sum of its outputs, so stems through it add up. */
  readonly linear: boolean;
  readonly takesKey: boolean;
  latency(params: Params, rate: Hertz): Frames;
  create(context: ProcessorContext): Processor;
}

/** Frames after which states are flushed and control values may change; every block is a whole number of these. */
export const QUANTUM: Frames = 64;

/** Below this a filter state is set to zero, so that no tail ever decays into slow denormal numbers. */
export const FLUSH = 1e-30;

type Shape = Omit<ParamDeclaration, "id" | "name">;
const param = (id: string, name: string, shape: Shape): ParamDeclaration => ({ id, name, ...shape });

export const hertzParam = (id: string, name: string, min: Hertz, max: Hertz, value: Hertz) =>
  param(id, name, { unit: "Hz", min, max, default: value, taper: "log" });
export const dbParam = (id: string, name: string, min: Db, max: Db, value: Db) =>
  param(id, name, { unit: "dB", min, max, default: value, taper: "linear" });
export const millisParam = (id: string, name: string, min: number, max: number, value: number) =>
  param(id, name, { unit: "ms", min, max, default: value, taper: min > 0 ? "log" : "linear" });
export const secondsParam = (id: string, name: string, min: Seconds, max: Seconds, value: Seconds) =>
  param(id, name, { unit: "s", min, max, default: value, taper: "log" });
export const percentParam = (id: string, name: string, value: number, max = 100) =>
  param(id, name, { unit: "%", min: 0, max, default: value, taper: "linear" });
export const switchParam = (id: string, name: string, value: 0 | 1) =>
  param(id, name, { unit: "", min: 0, max: 1, default: value, taper: "switch" });
export const stepsParam = (id: string, name: string, unit: "voices" | "x" | "", min: number, max: number, value: number) =>
  param(id, name, { unit, min, max, default: value, taper: "steps" });

/** The parameters of a device with defaults for what is not set. */
export const completeParams = (declaration: DeviceDeclaration, set: Params): Params =>
  Object.fromEntries(declaration.params.map((p) => [p.id, set[p.id] ?? p.default]));

/** A parameter that the declaration names; asking for another is a fault in the device's own code. */
export function valueOf(params: Params, id: string): number {
  const value = params[id];
  if (value === undefined) throw new RangeError(`no parameter "${id}"`);
  return value;
}
