import { PI, exp, pow } from "../math";
import { randomBipolar } from "../random";
import type { Frames } from "../units";
import type { AudioReader } from "../audio/audio-reader";
import type { Params, Processor } from "./device";
import {
  Glide,
  QUANTUM,
  effect,
  fixed,
  hertzParam,
  overQuanta,
  percentParam,
  secondsParam,
  stepsParam,
  valueOf,
} from "./device";
import { biquad } from "./biquad";
import { Fft } from "../kernels/fft";

/** Frames convolved at once: the device's latency. */
const HOP: Frames = 512;
const LONGEST_S = 3;

interface Response {
  readonly left: Float64Array;
  readonly right: Float64Array;
}

const responseFrames = (params: Params, rate: number): Frames =>
  Math.ceil((valueOf(params, "kind") < 0.5 ? 0.05 : Math.min(LONGEST_S, 1.15 * valueOf(params, "decayS"))) * rate);

/**
 * Convolution with a response: audio of one's own, a loudspeaker box, or a space of noise that decays. Uniformly
 * partitioned overlap-save (Stockham 1966; partitioning after Kulp 1988): both sides travel through one complex
 * transform. Linear.
 */
export const convolution = effect({
  type: "convolution",
  name: "Space",
  about: "The response of a box or a room laid over the sound",
  params: [
    stepsParam("kind", "Box, room", "", 0, 1, 1),
    fixed(secondsParam("decayS", "Decay", 0.1, 2.5, 0.8)),
    fixed(hertzParam("toneHz", "Tone", 400, 16000, 5000)),
    percentParam("wet", "Wet", 35),
  ],
  linear: true,
  layers: 1,
  latency: () => HOP,
  tail: (_, rate) => Math.ceil(LONGEST_S * rate) + 3 * HOP,
  cost: () => 250,
  portrait: "decay",
  create({ rate, arena, controls, layers }): Processor {
    const { params } = controls;
    const [own] = layers;
    const size = 2 * HOP;
    const response = own
      ? spectrumOf(`${own.asset}/${own.gain}`, () => ownResponse(own.audio, own.gain, LONGEST_S * rate))
      : spectrumOf(JSON.stringify([{ ...params, wet: 0 }, rate]), () =>
          valueOf(params, "kind") < 0.5 ? box(params, rate) : room(params, rate),
        );
    const fft = new Fft(size);
    const { parts } = response;
    const spectra = () => arena.float64(parts * bins);
    const [responseRe, responseIm] = arena.apart(() => [
      [spectra(), spectra()] as const,
      [spectra(), spectra()] as const,
    ]);
    const pastRe = [spectra(), spectra()] as const,
      pastIm = [spectra(), spectra()] as const;
    const re = arena.float64(size),
      im = arena.float64(size);
    const sumRe = [arena.float64(bins), arena.float64(bins)] as const,
      sumIm = [arena.float64(bins), arena.float64(bins)] as const;

    for (const side of [0, 1] as const) {
      responseRe[side].set(response.re[side]);
      responseIm[side].set(response.im[side]);
    }
    const wet = new Glide(valueOf(params, "wet") / 100, arena);
    const update = () => wet.aim(valueOf(params, "wet") / 100);
    const inLeft = arena.float64(size),
      inRight = arena.float64(size);
    const outLeft = arena.float64(HOP),
      outRight = arena.float64(HOP);
    let filled = 0;
    let newest = 0;
    const rest = (parts + 2) * HOP;
    let silentRun = rest;
    arena.keeps(
      () => [filled, newest, silentRun],
      (kept) => {
        [filled = 0, newest = 0, silentRun = 0] = kept;
      },
    );

    const hop = () => {
      re.set(inLeft);
      im.set(inRight);
      fft.forward(re, im);
      newest = newest === 0 ? parts - 1 : newest - 1;
      split(re, im, pastRe, pastIm, newest * bins);
      for (const side of [0, 1] as const) {
        const yr = sumRe[side].fill(0).address,
          yi = sumIm[side].fill(0).address;
        const xr = pastRe[side].address,
          xi = pastIm[side].address,
          hr = responseRe[side].address,
          hi = responseIm[side].address;
        const { multiplyAdd } = arena.kernels;
        for (let p = 0; p < parts; p++) {
          const x = 8 * ((newest + p) % parts) * bins;
          const h = 8 * p * bins;
          multiplyAdd(yr, yi, xr + x, xi + x, hr + h, hi + h, bins);
        }
      }
      for (let k = 0; k <= HOP; k++) {
        const lr = sumRe[0][k] as number,
          li = sumIm[0][k] as number,
          rr = sumRe[1][k] as number,
          ri = sumIm[1][k] as number;
        re[k] = lr - ri;
        im[k] = li + rr;
        const j = (size - k) & (size - 1);
        re[j] = lr + ri;
        im[j] = rr - li;
      }
      fft.inverse(re, im);
      for (let i = 0; i < HOP; i++) {
        outLeft[i] = (re[HOP + i] as number) / size;
        outRight[i] = (im[HOP + i] as number) / size;
      }
      inLeft.copyWithin(0, HOP);
      inRight.copyWithin(0, HOP);
    };

    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (start, end) => {
          const step = wet.step;
          let w = wet.from;
          for (let q = start; q < end; q += QUANTUM) {
            for (let i = q; i < q + QUANTUM; i++) {
              w += step;
              const l = left[i] as number,
                r = right[i] as number;
              silentRun = l === 0 && r === 0 ? silentRun + 1 : 0;
              inLeft[HOP + filled] = l;
              inRight[HOP + filled] = r;
              // What went in a hop ago leaves now, plain and convolved.
              const plainLeft = inLeft[filled] as number,
                plainRight = inRight[filled] as number;
              // The transform's own rounding is far below a float's; silence in is silence out.
              const still = silentRun >= rest;
              left[i] = plainLeft * (1 - w) + (still ? 0 : (outLeft[filled] as number)) * w;
              right[i] = plainRight * (1 - w) + (still ? 0 : (outRight[filled] as number)) * w;
              filled++;
            }
            if (filled === HOP) {
              filled = 0;
              if (silentRun < rest + HOP) hop();
            }
          }
        });
      },
      // Where a hop begins is a matter of the timeline, so it may be left out only a whole hop at a time: it is not.
      resting: false,
    };
  },
});

/** Bins of a row: one more than there are, so that rows are even. */
const bins = HOP + 2;

/** A response cut into parts of a hop, as transformed: rows of bins for both sides. */
interface Spectrum {
  readonly parts: number;
  readonly re: readonly [Float64Array, Float64Array];
  readonly im: readonly [Float64Array, Float64Array];
}

/** Splits the transform of left + i right into the two sides' own, at row `row`. */
function split(re: Float64Array, im: Float64Array, toRe: Spectrum["re"], toIm: Spectrum["im"], row: number): void {
  const size = 2 * HOP;
  for (let k = 0; k <= HOP; k++) {
    const j = (size - k) & (size - 1);
    const a = re[k] as number,
      b = im[k] as number,
      c = re[j] as number,
      d = im[j] as number;
    toRe[0][row + k] = (a + c) / 2;
    toIm[0][row + k] = (b - d) / 2;
    toRe[1][row + k] = (b + d) / 2;
    toIm[1][row + k] = (c - a) / 2;
  }
}

/**
 * The responses used last. To make one takes longer than everything else that is done to get a session ready, and it is
 * done at every change of its routing.
 */
const known = new Map<string, Spectrum>();
const KNOWN = 6;

function spectrumOf(key: string, make: () => Response): Spectrum {
  const found = known.get(key) ?? transformed(make());
  known.delete(key);
  known.set(key, found);
  for (const oldest of known.keys()) if (known.size > KNOWN) known.delete(oldest);
  return found;
}

function transformed(response: Response): Spectrum {
  const parts = Math.max(1, Math.ceil(response.left.length / HOP));
  const rows = () => [new Float64Array(parts * bins), new Float64Array(parts * bins)] as const;
  const made: Spectrum = { parts, re: rows(), im: rows() };
  const re = new Float64Array(2 * HOP),
    im = new Float64Array(2 * HOP);
  const fft = new Fft(2 * HOP);
  for (let p = 0; p < parts; p++) {
    re.fill(0);
    im.fill(0);
    re.set(response.left.subarray(p * HOP, (p + 1) * HOP));
    im.set(response.right.subarray(p * HOP, (p + 1) * HOP));
    fft.forward(re, im);
    split(re, im, made.re, made.im, p * bins);
  }
  return made;
}

/** Brings a response to unity energy on the louder side, so that wet is about as loud as dry. */
function normalised(left: Float64Array, right: Float64Array): Response {
  const energy = (x: Float64Array) => x.reduce((sum, v) => sum + v * v, 0);
  const scale = 1 / Math.sqrt(Math.max(energy(left), energy(right), 1e-12));
  return { left: left.map((v) => v * scale), right: right.map((v) => v * scale) };
}

function filtered(x: Float64Array, ...sections: readonly ReturnType<typeof biquad.lowPass>[]): Float64Array {
  let y = x;
  for (const k of sections) {
    let z1 = 0,
      z2 = 0;
    y = y.map((v) => {
      const out = k.b0 * v + z1;
      z1 = k.b1 * v - k.a1 * out + z2;
      z2 = k.b2 * v - k.a2 * out;
      return out;
    });
  }
  return y;
}

/** A loudspeaker in a box, close up: a band from its resonance to its cone's breakup. */
function box(params: Params, rate: number): Response {
  const impulse = new Float64Array(responseFrames(params, rate));
  impulse[0] = 1;
  const shape = (breakup: number) =>
    filtered(
      impulse,
      biquad.highPass(85, 1.1, rate),
      biquad.bell(breakup, 5, 1.6, rate),
      biquad.bell(430, -4, 1, rate),
      biquad.lowPass(valueOf(params, "toneHz"), 0.9, rate),
      biquad.lowPass(valueOf(params, "toneHz") * 1.3, 0.6, rate),
    );
  return normalised(shape(2300), shape(2450));
}

/** A room as noise that decays, its height sooner than its depth. */
function room(params: Params, rate: number): Response {
  const frames = responseFrames(params, rate);
  const decay = valueOf(params, "decayS");
  const side = (seed: number) => {
    const noise = Float64Array.from({ length: frames }, (_, i) => {
      const t = i / rate;
      return randomBipolar(seed, i) * pow(10, (-3 * t) / decay) * Math.min(1, t / 0.004);
    });
    const dark = filtered(noise, biquad.lowPass(valueOf(params, "toneHz"), 0.6, rate), biquad.highPass(120, 0.7, rate));
    const bright = filtered(noise, biquad.highPass(valueOf(params, "toneHz"), 0.6, rate));
    return dark.map((v, i) => v + 0.4 * (bright[i] as number) * exp((-i / rate / decay) * 2 * PI));
  };
  return normalised(side(9101), side(9102));
}

function ownResponse(audio: AudioReader, gain: number, longest: Frames): Response {
  const frames = Math.min(audio.frames, Math.round(longest));
  const left = new Float32Array(frames),
    right = new Float32Array(frames);
  audio.read(0, frames, left, right, 0);
  return { left: Float64Array.from(left, (v) => v * gain), right: Float64Array.from(right, (v) => v * gain) };
}
