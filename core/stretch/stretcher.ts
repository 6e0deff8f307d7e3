import type { Frames, Hertz } from "../units";

/** Raised whenever reshaped audio can come out different: kept files carry it in their name. */
export const STRETCH_VERSION = 2;

/**
 * Changes the length of audio without changing its pitch, as a stream. What it makes depends on what it has made
 * before, so each result has a stretcher of its own, which runs over all its pieces in order.
 */
export interface Stretcher {
  readonly rate: Hertz;
  /**
   * Stretches `frames` frames by one factor into round(frames * stretch) frames, or as a course says. `read` fills both
   * channels with `count` frames from frame `from` on, which lie inside the audio, or beyond it on the sides named in
   * `goesOn`; on the others there is silence. `emit` gets the result in order. The same runs give the same output.
   */
  run(
    frames: Frames,
    stretch: number | Course,
    read: (from: Frames, count: Frames, left: Float32Array, right: Float32Array) => void,
    emit: (left: Float32Array, right: Float32Array, offset: number, count: Frames) => void,
    goesOn?: { readonly before: boolean; readonly behind: boolean },
  ): void;
}

/** Where time goes while it is stretched. */
export interface Course {
  /** Frames that come out. */
  readonly frames: Frames;
  /** The place in the audio that is heard at a frame of the result; rises. It may be asked for before 0. */
  sourceOf(frame: number): number;
  /** Frames of the result at which it bends, rising: between two it is nearly straight. */
  readonly turns: readonly Frames[];
}

/** The functions of the library's WebAssembly module that are used here. */
interface StretchModule {
  readonly HEAP8: { readonly buffer: ArrayBuffer };
  _setBuffers(channels: number, frames: number): number;
  _inputLatency(): number;
  _outputLatency(): number;
  _configure(channels: number, blockFrames: number, intervalFrames: number, split: boolean): void;
  _reset(): void;
  _seek(frames: number, rate: number): void;
  _process(input: number, output: number): void;
}

type WorkletProcessor = new (options: object) => { readonly wasmModule: StretchModule };

/** Most frames put in or taken out at once. */
const CHUNK = 4096;
const SEED_BYTE = 0x5a;
/**
 * Length of the library's blocks and from one to the next. What becomes much longer is made of more blocks, so that a
 * voice's vibrato is followed within 2 cents at twice the length (3.5 with the plain interval; measured).
 */
const BLOCK_S = 0.12,
  PLAIN_S = 0.03,
  FINE_S = 0.012;
const MUCH_LONGER = 1.25;

let processorClass: Promise<WorkletProcessor> | null = null;

/**
 * The package is made for an audio worklet only and registers a processor there. Given stand-ins for the worklet's two
 * globals it does the same here, and the processor holds the WebAssembly module.
 */
async function loadProcessor(): Promise<WorkletProcessor> {
  const world = globalThis as unknown as Record<string, unknown>;
  const found: WorkletProcessor[] = [];
  const before = [world["AudioWorkletProcessor"], world["registerProcessor"]];
  world["AudioWorkletProcessor"] = class {
    readonly port: { postMessage(message: readonly unknown[]): void } = {
      postMessage: (message) => {
        if (message[0] === "ready") ready?.();
      },
    };
  };
  world["registerProcessor"] = (_: string, made: WorkletProcessor) => found.push(made);
  try {
    await import("signalsmith-stretch");
  } finally {
    [world["AudioWorkletProcessor"], world["registerProcessor"]] = before;
  }
  const [made] = found;
  if (!made) throw new RangeError("the stretch library registered nothing");
  return made;
}

/** Called by the processor under construction once its module is there; they are made one at a time. */
let ready: (() => void) | null = null;
let making: Promise<unknown> = Promise.resolve();

/** Makes a stretcher for audio at a rate. */
export async function makeStretcher(rate: Hertz): Promise<Stretcher> {
  processorClass ??= loadProcessor();
  const Processor = await processorClass;
  const make = async () => {
    const world = globalThis as unknown as Record<string, unknown>;
    world["sampleRate"] = rate;
    // Far stretches scatter phases by chance. The library takes its seed from `crypto` as it finds it while its module
    // is made: from here it is always the same.
    const own = Object.getOwnPropertyDescriptor(globalThis, "crypto");
    Object.defineProperty(globalThis, "crypto", {
      value: { getRandomValues: (bytes: Uint8Array) => bytes.fill(SEED_BYTE) },
      configurable: true,
    });
    try {
      const announced = new Promise<void>((resolve) => {
        ready = resolve;
      });
      const processor = new Processor({ numberOfOutputs: 1, outputChannelCount: [2] });
      await announced;
      return processor.wasmModule;
    } finally {
      delete world["sampleRate"];
      if (own) Object.defineProperty(globalThis, "crypto", own);
      else delete world["crypto"];
    }
  };
  const made = making.then(make);
  making = made.catch(() => undefined);
  return stretcherOf(await made, rate);
}

/** How a run goes on: the factor it begins with, how much is made at once, and what has been taken in by then. */
interface Pace {
  readonly rate: number;
  readonly total: Frames;
  outChunk(made: Frames): Frames;
  takenBy(made: Frames): Frames;
}

function even(frames: Frames, stretch: number): Pace {
  const rate = 1 / stretch;
  const chunk = Math.max(1, Math.floor(Math.min(CHUNK, CHUNK * stretch)));
  return {
    rate,
    total: Math.round(frames * stretch),
    outChunk: () => chunk,
    takenBy: (made) => Math.round(made * rate),
  };
}

/** Of a course, so short a piece at a time that it is straight enough, and none over a turn. */
const BENT_CHUNK = 256;

function bent({ frames, sourceOf, turns }: Course): Pace {
  let next = 0;
  return {
    rate: Math.max(0.01, sourceOf(BENT_CHUNK) / BENT_CHUNK),
    total: frames,
    outChunk(made) {
      while (next < turns.length && (turns[next] as number) <= made) next++;
      let n = Math.max(1, Math.min(BENT_CHUNK, (turns[next] ?? Infinity) - made));
      // Where the result is far shorter than the audio, a piece of it takes more in than there is room for.
      while (n > 1 && sourceOf(made + n) - sourceOf(made) > CHUNK - 2) n >>= 1;
      return n;
    },
    takenBy: (made) => Math.round(sourceOf(made)),
  };
}

function stretcherOf(module: StretchModule, rate: Hertz): Stretcher {
  return {
    rate,
    run(frames, stretch, read, emit, goesOn = { before: false, behind: false }) {
      const pace = typeof stretch === "number" ? even(frames, stretch) : bent(stretch);
      const { rate: speed, total, outChunk, takenBy } = pace;
      const interval = total > frames * MUCH_LONGER ? FINE_S : PLAIN_S;
      module._configure(2, Math.round(BLOCK_S * rate), Math.round(interval * rate), false);
      module._reset();
      const ahead = module._inputLatency();
      const late = module._outputLatency();
      const room = Math.max(CHUNK, ahead + late);
      const pointer = module._setBuffers(2, room);
      // Views are taken anew each time: the module's memory may grow.
      const views = (first: number) =>
        [0, 1].map((c) => new Float32Array(module.HEAP8.buffer, pointer + 4 * room * (first + c), room)) as [
          Float32Array,
          Float32Array,
        ];
      const fill = (from: Frames, count: Frames, at: number) => {
        const [left, right] = views(0);
        left.fill(0, at, at + count);
        right.fill(0, at, at + count);
        const first = goesOn.before ? from : Math.max(0, from);
        const end = goesOn.behind ? from + count : Math.min(from + count, frames);
        const [a, b] = [at + first - from, at + end - from];
        if (end > first) read(first, end - first, left.subarray(a, b), right.subarray(a, b));
      };
      // What comes out first belongs to the time `late` frames before the audio, and needs the first `ahead` frames.
      fill(-late, late + ahead, 0);
      module._seek(ahead + late, speed);
      let taken = 0;
      for (let made = 0; made < total + late;) {
        const n = Math.min(outChunk(made), total + late - made);
        const input = takenBy(made + n) - taken;
        fill(ahead + taken, input, 0);
        module._process(input, n);
        const skip = Math.max(0, Math.min(n, late - made));
        const [left, right] = views(2);
        if (n > skip) emit(left, right, skip, n - skip);
        taken += input;
        made += n;
      }
    },
  };
}
