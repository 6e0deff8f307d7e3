import type { Controls, LoadedInstrument, LoadedLayer, Params, PlayedNote } from "../devices/device";
import { completeParams, still } from "../devices/device";
import { tempoMap } from "../time/tempo";
import { declarationOf } from "../devices/catalogue";
import { Fft } from "../kernels/fft";
import { Arena } from "../kernels/arena";
import type { Heard } from "./listen";

const RATE = 48000;

/** Runs audio through one device, in blocks of 512 frames; an instrument plays `notes` over it. */
export function through(
  type: string,
  params: Params,
  input: Heard,
  options: {
    readonly key?: Heard;
    readonly notes?: readonly PlayedNote[];
    readonly layers?: readonly LoadedLayer[];
    readonly instrument?: LoadedInstrument;
    readonly controls?: Controls;
    readonly pass?: number;
  } = {},
): Heard & { readonly resting: boolean } {
  const declaration = declarationOf(type);
  if (!declaration) throw new RangeError(`no device "${type}"`);
  const BLOCK = 512;
  const { processor, block, key } = Arena.for((arena) => ({
    key: { left: arena.float32(BLOCK), right: arena.float32(BLOCK) },
    block: [arena.float32(BLOCK), arena.float32(BLOCK)] as const,
    processor: declaration.create({
      rate: RATE,
      arena,
      maxFrames: BLOCK,
      controls: options.controls ?? still(completeParams(declaration, params)),
      tempo: tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], RATE),
      layers: options.layers ?? [],
      instrument: options.instrument ?? null,
      leader: null,
      pass: options.pass ?? null,
      seed: 1,
      notes: options.notes ?? [],
    }),
  }));
  const frames = Math.ceil(input.left.length / 512) * 512;
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  left.set(input.left);
  right.set(input.right);
  for (let at = 0; at < frames; at += BLOCK) {
    const part = (x: Float32Array) => x.subarray(at, at + BLOCK);
    block[0].set(part(left));
    block[1].set(part(right));
    if (options.key) {
      key.left.set(part(options.key.left));
      key.right.set(part(options.key.right));
    }
    processor.process(block[0], block[1], BLOCK, at, options.key ? key : null);
    left.set(block[0], at);
    right.set(block[1], at);
  }
  return { left, right, resting: processor.resting };
}

/**
 * Energy of a signal around each of some frequencies, in dB under full scale, by a windowed transform of its whole
 * length (a power of two).
 */
export function spectrumDb(x: Float32Array): Float64Array {
  const fft = new Fft(x.length);
  const n = x.length;
  // Blackman-Harris: its side lobes are at -92 dB, four bins away.
  const re = Float64Array.from(
    x,
    (v, i) =>
      v *
      (0.35875 -
        0.48829 * Math.cos((2 * Math.PI * i) / n) +
        0.14128 * Math.cos((4 * Math.PI * i) / n) -
        0.01168 * Math.cos((6 * Math.PI * i) / n)),
  );
  const im = new Float64Array(n);
  fft.forward(re, im);
  return Float64Array.from(
    { length: n / 2 },
    (_, k) => 20 * Math.log10(Math.hypot(re[k] as number, im[k] as number) / ((0.35875 * n) / 2) + 1e-12),
  );
}

export const impulse = (frames: number): Heard => {
  const left = new Float32Array(frames);
  left[0] = 1;
  return { left, right: left.slice() };
};

export const sine = (hz: number, frames: number, level = 1, rate = RATE): Heard => {
  const left = Float32Array.from({ length: frames }, (_, i) => level * Math.sin((2 * Math.PI * hz * i) / rate));
  return { left, right: left.slice() };
};

/** Magnitude of a response at a frequency, by correlation with a sine and a cosine. */
export function magnitudeAt(response: Float32Array, hz: number, rate = RATE): number {
  let re = 0;
  let im = 0;
  response.forEach((x, i) => {
    re += x * Math.cos((2 * Math.PI * hz * i) / rate);
    im -= x * Math.sin((2 * Math.PI * hz * i) / rate);
  });
  return Math.sqrt(re * re + im * im);
}
