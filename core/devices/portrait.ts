import { Fft } from "../kernels/fft";
import { Arena } from "../kernels/arena";
import { PI, dbToGain, gainToDb, pow, sin } from "../math";
import type { TempoPoint } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import type { Frames, Hertz } from "../units";
import { declarationOf } from "./catalogue";
import type { Params, Processor } from "./device";
import { completeParams, still, valueOf } from "./device";
import type { Floats } from "../kernels/kernels";

/**
 * What a device does, as a drawing shows it; measured on the device itself, so that it cannot say anything else than
 * what is heard.
 */
export type Portrait =
  /** Gain by frequency. */
  | { readonly kind: "response"; readonly hz: Float64Array; readonly db: Float64Array }
  /** Level out by level in, of a steady tone. */
  | { readonly kind: "transfer"; readonly inDb: Float64Array; readonly outDb: Float64Array }
  /** What an impulse leaves, in steps of time. */
  | { readonly kind: "decay"; readonly stepS: number; readonly db: Float64Array };

const BLOCK: Frames = 512;
const RESPONSE_FRAMES: Frames = 16384;
const POINTS = 160;
const QUIETEST_DB = -66;
const LEVEL_STEP_DB = 3;
const TONE_HZ = 997;
/** A detector is left to settle for so many of its attacks, within bounds. */
const SETTLE_TIMES = 6;
const DECAY_STEPS = 120;
const LONGEST_DECAY_S = 6;

/** Whether there is something to draw for a type of device. */
export const hasPortrait = (type: string): boolean => kindOf(type) !== null;

const kindOf = (type: string) => declarationOf(type)?.portrait ?? null;

/**
 * Measures what a device does at these parameters; null for those of which a drawing would say nothing. Costs up to a
 * few tens of milliseconds.
 */
export function portraitOf(type: string, params: Params, rate: Hertz, tempo: readonly TempoPoint[]): Portrait | null {
  const kind = kindOf(type);
  const declaration = declarationOf(type);
  if (!kind || !declaration) return null;
  const complete = completeParams(declaration, params);
  const run = new Run(type, complete, rate, tempo);
  if (kind === "response") return response(run, rate);
  if (kind === "decay") return decay(run, rate, declaration.tail(complete, rate));
  return transfer(run, rate, declaration.latency(complete, rate), settleFrames(complete, rate));
}

/** A device that is fed block by block; every part of a portrait begins with a new one. */
class Run {
  private made: { readonly processor: Processor; readonly left: Floats; readonly right: Floats };
  private at: Frames = 0;

  constructor(
    private readonly type: string,
    private readonly params: Params,
    private readonly rate: Hertz,
    private readonly tempo: readonly TempoPoint[],
  ) {
    this.made = this.make();
  }

  private make(): Run["made"] {
    const declaration = declarationOf(this.type);
    if (!declaration) throw new RangeError(`no device "${this.type}"`);
    return Arena.for((arena) => ({
      left: arena.float32(BLOCK),
      right: arena.float32(BLOCK),
      processor: declaration.create({
        rate: this.rate,
        arena,
        maxFrames: BLOCK,
        controls: still(this.params),
        tempo: tempoMap(this.tempo, this.rate),
        layers: [],
        instrument: null,
        leader: null,
        pass: null,
        seed: 1,
        notes: [],
      }),
    }));
  }

  restart(): void {
    this.made = this.make();
    this.at = 0;
  }

  /** The next block's left channel, for the same signal on both; valid until the next call. */
  next(input: (frame: Frames) => number): Float32Array {
    const { processor, left, right } = this.made;
    for (let i = 0; i < BLOCK; i++) left[i] = right[i] = input(this.at + i);
    processor.process(left, right, BLOCK, this.at, null);
    this.at += BLOCK;
    return left;
  }
}

const impulse = (frame: Frames) => (frame === 0 ? 1 : 0);

function response(run: Run, rate: Hertz): Portrait {
  const re = new Float64Array(RESPONSE_FRAMES);
  const im = new Float64Array(RESPONSE_FRAMES);
  for (let at = 0; at < RESPONSE_FRAMES; at += BLOCK) {
    const out = run.next(impulse);
    for (let i = 0; i < BLOCK; i++) re[at + i] = out[i] as number;
  }
  new Fft(RESPONSE_FRAMES).forward(re, im);
  const hz = Float64Array.from({ length: POINTS }, (_, i) => 20 * pow(1000, i / (POINTS - 1)));
  const binDb = (k: number) => {
    const [r, i] = [re[k] as number, im[k] as number];
    return gainToDb(Math.max(1e-6, Math.sqrt(r * r + i * i)));
  };
  // Low down several points lie between two bins: what is told is a line from one to the other, not a stair.
  const db = hz.map((f) => {
    const place = Math.min(RESPONSE_FRAMES / 2 - 1, Math.max(1, (f * RESPONSE_FRAMES) / rate));
    const k = Math.floor(place);
    return binDb(k) + (place - k) * (binDb(k + 1) - binDb(k));
  });
  return { kind: "response", hz, db };
}

/** How long a dynamics device takes to stand still under a steady tone: by its attack. */
const settleFrames = (params: Params, rate: Hertz): Frames =>
  Math.round(
    Math.min(
      1.2,
      Math.max(0.05, params["attackMs"] === undefined ? 0 : (SETTLE_TIMES * valueOf(params, "attackMs")) / 1000),
    ) * rate,
  );

function transfer(run: Run, rate: Hertz, latency: Frames, settle: Frames): Portrait {
  const count = Math.floor(-QUIETEST_DB / LEVEL_STEP_DB) + 1;
  const inDb = Float64Array.from({ length: count }, (_, i) => QUIETEST_DB + i * LEVEL_STEP_DB);
  const measure = Math.ceil((3 * rate) / TONE_HZ);
  const outDb = inDb.map((level) => {
    run.restart();
    const gain = dbToGain(level);
    const tone = (frame: Frames) => gain * sin((2 * PI * TONE_HZ * frame) / rate);
    let peak = 0;
    for (let at = 0; at < settle + latency + measure; at += BLOCK) {
      const out = run.next(tone);
      if (at + BLOCK <= settle + latency) continue;
      for (let i = 0; i < BLOCK; i++) peak = Math.max(peak, Math.abs(out[i] as number));
    }
    return gainToDb(Math.max(1e-6, peak));
  });
  return { kind: "transfer", inDb, outDb };
}

function decay(run: Run, rate: Hertz, tail: Frames): Portrait {
  const seconds = Math.min(LONGEST_DECAY_S, Math.max(0.25, tail / rate / 2));
  const step = Math.max(BLOCK, Math.round((seconds * rate) / DECAY_STEPS / BLOCK) * BLOCK);
  const levels: number[] = [];
  for (let at = 0; at < seconds * rate; at += step) {
    let energy = 0;
    for (let k = 0; k < step; k += BLOCK) {
      const out = run.next(impulse);
      // The impulse itself passes by; what is left is what the picture is of.
      for (let i = at + k === 0 ? 1 : 0; i < BLOCK; i++) energy += (out[i] as number) * (out[i] as number);
    }
    levels.push(gainToDb(Math.max(1e-7, Math.sqrt(energy))));
  }
  return { kind: "decay", stepS: step / rate, db: Float64Array.from(levels) };
}
