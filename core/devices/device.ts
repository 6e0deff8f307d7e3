import { log } from "../math";
import { randomBits } from "../random";
import type { Db, Frames, Hertz, Seconds } from "../units";
import type { Arena } from "../kernels/arena";
import type { AudioReader } from "../audio/audio-reader";
import type { Instrument } from "../instruments/instrument";
import type { TempoMap } from "../time/tempo";
import type { Doubles, Floats } from "../kernels/kernels";

/** One parameter as a person meets it: its unit, range, default, and how a control should travel through the range. */
export interface ParamDeclaration {
  readonly id: string;
  readonly name: string;
  readonly unit: "Hz" | "dB" | "ms" | "s" | "%" | ":1" | "cents" | "voices" | "x" | "st" | "beats" | "";
  readonly min: number;
  readonly max: number;
  readonly default: number;
  /** `log`: equal steps are equal ratios. `steps`: whole numbers. `switch`: 0 or 1. */
  readonly taper: "linear" | "log" | "steps" | "switch";
  /** Set when the device is built and never automated, because it decides memory, latency or structure. */
  readonly fixed: boolean;
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

/**
 * Seeds what is left to chance in a note: the same note is always the same, whatever other notes there are. `seed`: of
 * the device.
 */
export const noteSeed = (seed: number, { start, pitch }: PlayedNote): number =>
  randomBits(seed ^ Math.imul(pitch + 1, 0x9e3779b9), start);

/** A device's parameters while it plays: at rest, or moving along automation. */
export interface Controls {
  /** The current values, complete. The same object throughout. */
  readonly params: Params;
  readonly moving: boolean;
  /** Whether they may begin to move at any time, because a person turns them while listening. */
  readonly loose: boolean;
  /** Takes `params` to a frame of the timeline. */
  to(frame: Frames): void;
}

/** A piece of audio that a device holds. */
export interface LoadedLayer {
  readonly pad: number;
  readonly asset: string;
  readonly audio: AudioReader;
  /** Frames of the audio to one frame of the session, from its rate and its tuning. */
  readonly step: number;
  readonly gain: number;
  readonly softest: number;
  readonly loudest: number;
}

/** An instrument of recordings, and its audio. */
export interface LoadedInstrument {
  readonly instrument: Instrument;
  /** A recording to be read from a place of its own. */
  open(sample: string): { readonly audio: AudioReader; readonly rate: Hertz };
}

export interface ProcessorContext {
  readonly rate: Hertz;
  readonly arena: Arena;
  /** Longest block there will be. */
  readonly maxFrames: Frames;
  readonly controls: Controls;
  readonly tempo: TempoMap;
  readonly layers: readonly LoadedLayer[];
  readonly instrument: LoadedInstrument | null;
  /** For dynamics on a share of a signal: the processor that works on the whole, whose gain is applied here too. */
  readonly leader: Processor | null;
  /** Which pass in real time this is, for what sounds different every time; null when rendering offline. */
  readonly pass: number | null;
  /** From the device's id: two equal devices with different ids make different noise, the same one always the same. */
  readonly seed: number;
  /** Sorted by start; empty for effects. */
  readonly notes: readonly PlayedNote[];
}

/** Signal of the key track, frame-aligned with the device's own signal. */
export interface KeySignal {
  readonly left: Floats;
  readonly right: Floats;
}

/**
 * A device at work on one path. Blocks are whole quanta of `QUANTUM` frames; nothing it does may depend on
 * how many quanta a block has.
 */
export interface Processor {
  /**
   * Processes `frames` frames in place (an instrument adds to silence). `at` is the timeline frame of the first one; it
   * is negative while the latency in front of the device fills.
   */
  process(left: Floats, right: Floats, frames: Frames, at: Frames, key: KeySignal | null): void;
  /** True when silence in would give exact silence out and leave every state as it is. */
  readonly resting: boolean;
  /** Dynamics: the gain applied to each frame of the last block. */
  readonly gains?: Doubles;
  /** Dynamics: how far the signal is held back right now, without make-up: 0 dB or less. */
  readonly heldBackDb?: Db;
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
  /**
   * True when all it does is to apply a gain it has found, which can then be applied to a share of the signal instead.
   */
  readonly dynamics: boolean;
  /** True when tempo changes its sound. */
  readonly usesTempo: boolean;
  /**
   * True when the same at another place of the timeline comes out otherwise: chance in its notes, or a swing that
   * follows the timeline.
   */
  readonly wanders: boolean;
  /**
   * True when it may be heard before what it answers, as far as its latency reaches: its filters ring to both sides.
   */
  readonly ringsAhead: boolean;
  /** True when it only works in real time, and never twice the same. */
  readonly realTime: boolean;
  /** How many pieces of audio it can hold. */
  readonly layers: number;
  /** It plays an instrument of recordings, and is silent without one. */
  readonly playsInstrument: boolean;
  latency(params: Params, rate: Hertz): Frames;
  /**
   * Frames after the last frame of input, or of the last note, until its output is exact silence, for parameters at
   * rest. `instrument`: what it plays.
   */
  tail(params: Params, rate: Hertz, instrument?: Instrument | null): Frames;
  /**
   * About what it costs to compute while it sounds, for balance between threads alone: of an effect, or of one voice of
   * an instrument; in tenths of a thousandth of a processor, as measured over noise and chords.
   */
  cost(params: Params): number;
  /** What a drawing of it shows: gain by frequency, level out by level in, or what an impulse leaves. */
  readonly portrait: "response" | "transfer" | "decay" | null;
  create(context: ProcessorContext): Processor;
}

/** Frames after which states are flushed and control values may change; every block is a whole number of these. */
export const QUANTUM: Frames = 64;

/** Below this a filter state is set to zero, so that no tail ever decays into slow denormal numbers. */
export const FLUSH = 1e-30;

type Plain = Pick<DeviceDeclaration, "type" | "name" | "about" | "params" | "tail" | "create"> &
  Partial<DeviceDeclaration>;

const plain = {
  linear: false,
  takesKey: false,
  dynamics: false,
  usesTempo: false,
  wanders: false,
  ringsAhead: false,
  realTime: false,
  layers: 0,
  playsInstrument: false,
  latency: () => 0,
  portrait: null,
} as const;

/** Declares an effect; what is not said is the plain case. */
export const effect = (declaration: Plain): DeviceDeclaration => ({
  ...plain,
  cost: () => 20,
  ...declaration,
  role: "effect",
});
/** Declares an instrument. */
export const instrument = (declaration: Plain): DeviceDeclaration => ({
  ...plain,
  cost: () => 15,
  ...declaration,
  role: "instrument",
});

type Shape = Omit<ParamDeclaration, "id" | "name" | "fixed">;
const param = (id: string, name: string, shape: Shape): ParamDeclaration => ({ id, name, fixed: false, ...shape });

export const hertzParam = (id: string, name: string, min: Hertz, max: Hertz, value: Hertz) =>
  param(id, name, { unit: "Hz", min, max, default: value, taper: "log" });
export const dbParam = (id: string, name: string, min: Db, max: Db, value: Db) =>
  param(id, name, { unit: "dB", min, max, default: value, taper: "linear" });
export const millisParam = (id: string, name: string, min: number, max: number, value: number) =>
  param(id, name, { unit: "ms", min, max, default: value, taper: min > 0 ? "log" : "linear" });
export const secondsParam = (id: string, name: string, min: Seconds, max: Seconds, value: Seconds) =>
  param(id, name, { unit: "s", min, max, default: value, taper: "log" });
export const percentParam = (id: string, name: string, value: number, max = 100, min = 0) =>
  param(id, name, { unit: "%", min, max, default: value, taper: "linear" });
export const centsParam = (id: string, name: string, min: number, max: number, value: number) =>
  param(id, name, { unit: "cents", min, max, default: value, taper: "linear" });
export const ratioParam = (id: string, name: string, unit: "" | ":1", min: number, max: number, value: number) =>
  param(id, name, { unit, min, max, default: value, taper: "log" });
export const switchParam = (id: string, name: string, value: 0 | 1) =>
  fixed(param(id, name, { unit: "", min: 0, max: 1, default: value, taper: "switch" }));
export const stepsParam = (
  id: string,
  name: string,
  unit: ParamDeclaration["unit"],
  min: number,
  max: number,
  value: number,
) => fixed(param(id, name, { unit, min, max, default: value, taper: "steps" }));
export const fixed = (declaration: ParamDeclaration): ParamDeclaration => ({ ...declaration, fixed: true });

/** The parameters of a device with defaults for what is not set. */
export const completeParams = (declaration: DeviceDeclaration, set: Params): Params =>
  Object.fromEntries(declaration.params.map((p) => [p.id, set[p.id] ?? p.default]));

/** A parameter that the declaration names; asking for another is a fault in the device's own code. */
export function valueOf(params: Params, id: string): number {
  const value = params[id];
  if (value === undefined) throw new RangeError(`no parameter "${id}"`);
  return value;
}

/** Controls that stay where they are. */
export const still = (params: Params): Controls => ({ params, moving: false, loose: false, to: () => undefined });

/**
 * A value that a device uses frame by frame while its parameter moves: straight from where it was to where it is told
 * to be, over one quantum. At rest `from` equals `to`.
 */
export class Glide {
  from: number;
  to: number;

  constructor(value: number, arena: Arena) {
    this.from = value;
    this.to = value;
    arena.keeps(
      () => [this.from, this.to],
      ([from = value, to = value]) => {
        this.from = from;
        this.to = to;
      },
    );
  }

  /** Where it shall be at the end of the coming quantum. */
  aim(value: number): void {
    this.from = this.to;
    this.to = value;
  }

  get step(): number {
    return (this.to - this.from) / QUANTUM;
  }
}

/**
 * Runs a device over a block: at once while its parameters rest, else quantum by quantum, `update` being called with
 * the parameters as they will be at each quantum's end.
 */
export function overQuanta(
  controls: Controls,
  frames: Frames,
  at: Frames,
  update: () => void,
  run: (from: number, to: number) => void,
): void {
  if (!controls.moving) {
    run(0, frames);
    return;
  }
  for (let from = 0; from < frames; from += QUANTUM) {
    controls.to(at + from + QUANTUM);
    update();
    run(from, from + QUANTUM);
  }
}

/**
 * Frames until a resonance decays from full scale into the flush to zero: 10^-32 leaves room for gain in front of it.
 * `radius`: of the pole nearest the unit circle.
 */
export const decayFrames = (radius: number): Frames =>
  (radius <= 0 ? 0 : Math.ceil((DECADES * LN10) / -log(Math.min(radius, 1 - 1e-9)))) + QUANTUM;
const DECADES = 33;
const LN10 = 2.302585092994046;
