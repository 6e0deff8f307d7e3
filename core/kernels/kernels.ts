import { KERNELS } from "./wasm.gen";

/**
 * Where an array begins in its kernel memory. Asking an array for its byte offset takes as long as a kernel's work on
 * some thirty samples, so it is asked once.
 */
export interface Addressed {
  readonly address: number;
}
export type Floats = Float32Array & Addressed;
export type Doubles = Float64Array & Addressed;
export type Ints = Int32Array & Addressed;
export type Bytes = Uint8Array & Addressed;

/** Addresses are byte offsets into the memory, as its arrays have them. What each does stands in reference.ts. */
export interface Kernels {
  biquad(left: number, right: number, frames: number, coefficients: number, states: number): void;
  sweep(
    left: number,
    right: number,
    frames: number,
    states: number,
    coefficient: number,
    coefficientStep: number,
    damping: number,
    dampingStep: number,
    wet: number,
    wetStep: number,
    shape: number,
  ): void;
  blockPeak(left: number, right: number, frames: number): number;
  addTo(sum: number, input: number, gain: number, first: number, frames: number): void;
  fromSum(out: number, sum: number, frames: number): void;
  scale(out: number, input: number, gain: number, frames: number): void;
  hold(out: number, input: number, frames: number, ring: number, length: number, head: number): void;
  glide(out: number, input: number, frames: number, from: number, change: number, place: number): void;
  /** Copies as `copyWithin` and `set` do, which take longer to begin. */
  move(to: number, from: number, count: number): void;
  widen(
    left: number,
    right: number,
    frames: number,
    same: number,
    sameStep: number,
    cross: number,
    crossStep: number,
  ): void;
  unpack24(bytes: number, left: number, right: number, frames: number): void;
  /** May write four bytes beyond the last frame. */
  pack(
    bytes: number,
    left: number,
    right: number,
    frames: number,
    channels: number,
    width: number,
    dithered: number,
    seed: number,
    start: number,
  ): number;
  interpolatedPeak(x: number, n: number, kernels: number, known: number, worst: number): number;
  range(left: number, right: number, n: number, out: number): void;
  ranges(left: number, right: number, n: number, piece: number, out: number): void;
  equal(left: number, right: number, n: number): number;
  synthLines(
    steps: number,
    count: number,
    oscillators: number,
    ratios: number,
    cycles: number,
    voice: number,
    edges: number,
    pulse: number,
    pulseStep: number,
    sub: number,
  ): void;
  synthVoice(
    left: number,
    right: number,
    steps: number,
    from: number,
    voice: number,
    edges: number,
    buffer: number,
    table: number,
    sub: number,
    unit: number,
  ): void;
  decimate(out: number, input: number, frames: number, over: number, kernel: number, taps: number): void;
  interpolate(out: number, input: number, frames: number, over: number, kernel: number, taps: number): void;
  multiplyAdd(yr: number, yi: number, xr: number, xi: number, hr: number, hi: number, n: number): void;
  drive(x: number, n: number, gain: number, gainStep: number, bias: number, biasStep: number, unit: number): void;
  driveFine(
    out: number,
    x: number,
    n: number,
    points: number,
    gain: number,
    gainStep: number,
    bias: number,
    biasStep: number,
    carry: number,
    unit: number,
  ): number;
  longestStep(x: number, n: number): number;
  blend(
    x: number,
    dry: number,
    driven: number,
    n: number,
    gain: number,
    gainStep: number,
    wet: number,
    wetStep: number,
  ): void;
  readBetween(
    out: number,
    x: number,
    n: number,
    position: number,
    step: number,
    first: number,
    table: number,
    phases: number,
  ): void;
  resonate(left: number, right: number, n: number, modes: number, gainLeft: number, gainRight: number): void;
  feedbackNetwork(
    left: number,
    right: number,
    n: number,
    out: number,
    ring: number,
    heads: number,
    starts: number,
    ends: number,
    lines: number,
    damp: number,
    dampStep: number,
  ): number;
  louder(out: number, left: number, right: number, n: number): void;
  compress(gains: number, n: number, p: number): void;
  limit(
    gains: number,
    n: number,
    window: number,
    candidates: number,
    stamps: number,
    held: number,
    counts: number,
    p: number,
  ): void;
  applyGains(left: number, right: number, n: number, gains: number, ring: number, length: number, counts: number): void;
  addFading(
    outLeft: number,
    outRight: number,
    left: number,
    right: number,
    n: number,
    gain: number,
    keep: number,
  ): number;
  copies(left: number, right: number, n: number, ring: number, size: number, counts: number, p: number): void;
  outOfNetwork(left: number, right: number, n: number, outs: number, p: number): void;
  repeat(left: number, right: number, n: number, ring: number, size: number, counts: number, p: number): void;
  /** Has no twin: decoders of others say whether it is right. See assembly/flac.ts. */
  flacFrame(
    out: number,
    pcm: number,
    frames: number,
    channels: number,
    width: number,
    rateCode: number,
    number: number,
    work: number,
    table: number,
  ): number;
  kWeightedEnergy(left: number, right: number, n: number, coefficients: number, states: number): number;
}

/** The part of WebAssembly's interface used here; the core is compiled without the libraries that declare it. */
interface Wasm {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Memory: new (size: { initial: number; maximum: number }) => { readonly buffer: ArrayBuffer };
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
}

const PAGE_BYTES = 65536;
/** The first bytes stay unused, so that no address is 0. */
const FIRST = 16;
const ALIGN = 16;

/**
 * Memories of up to this are carved from one larger one: to make one of its own for each costs more than many of them
 * do.
 */
const SMALL_BYTES = 1 << 19;
const SLAB_BYTES = 1 << 22;

interface Slab {
  readonly buffer: ArrayBuffer;
  readonly run: Kernels;
  /** First byte that is free. What was handed out is never handed out again, so it is always zero at first. */
  used: number;
}

let compiled: object | null = null;
let slab: Slab | null = null;
let bytesMade = 0;

/**
 * Bytes of memory that this thread has asked of the machine for kernels, all in all. Who lets go of such memory gives
 * it back when the thread is swept, which the engine that runs the code does not do because of them: they are not in
 * its heap.
 */
export const kernelBytesMade = (): number => bytesMade;

function makeSlab(bytes: number): Slab {
  const wasm = (globalThis as unknown as { readonly WebAssembly: Wasm }).WebAssembly;
  compiled ??= new wasm.Module(fromBase64(KERNELS));
  const pages = Math.ceil(bytes / PAGE_BYTES);
  const memory = new wasm.Memory({ initial: pages, maximum: pages });
  bytesMade += pages * PAGE_BYTES;
  return {
    buffer: memory.buffer,
    run: new wasm.Instance(compiled, { env: { memory } }).exports as Kernels,
    used: FIRST,
  };
}

/** Memory of a fixed size that the kernels work on, handed out piece by piece. */
export class KernelMemory {
  readonly buffer: ArrayBuffer;
  readonly run: Kernels;
  /** Address of the first byte. */
  readonly start: number;
  private used: number;
  private readonly end: number;

  /** `bytes`: all that will be taken, each piece rounded up to 16. */
  constructor(bytes: number) {
    const size = rounded(bytes);
    if (size > SMALL_BYTES) {
      const own = makeSlab(FIRST + size);
      this.buffer = own.buffer;
      this.run = own.run;
      this.used = FIRST;
    } else {
      // A slab that is full is let go; it stays as long as it is used.
      if (!slab || slab.used + size > slab.buffer.byteLength) slab = makeSlab(SLAB_BYTES);
      this.buffer = slab.buffer;
      this.run = slab.run;
      this.used = slab.used;
      slab.used += size;
    }
    this.start = this.used;
    this.end = this.used + size;
  }

  /** Address of the next free `bytes`. */
  take(bytes: number): number {
    const at = this.used;
    this.used = at + rounded(bytes);
    if (this.used > this.end) throw new RangeError("the kernel memory is smaller than what is taken from it");
    return at;
  }

  /** A copy of everything in it. */
  save = (): Uint8Array => new Uint8Array(this.buffer, this.start, this.end - this.start).slice();
  /** Brings it to what another of the same size held. */
  load(bytes: Uint8Array): void {
    new Uint8Array(this.buffer, this.start, this.end - this.start).set(bytes);
  }
  get size(): number {
    return this.end - this.start;
  }

  float32 = (length: number): Floats => addressed(new Float32Array(this.buffer, this.take(length * 4), length));
  float64 = (length: number): Doubles => addressed(new Float64Array(this.buffer, this.take(length * 8), length));
  int32 = (length: number): Ints => addressed(new Int32Array(this.buffer, this.take(length * 4), length));
  bytes = (length: number): Bytes => addressed(new Uint8Array(this.buffer, this.take(length), length));
}

/** Gives an array that will be passed to kernels its address. */
export const addressed = <T extends { readonly byteOffset: number }>(array: T): T & Addressed =>
  Object.assign(array, { address: array.byteOffset });

export const rounded = (bytes: number): number => Math.ceil(bytes / ALIGN) * ALIGN;

const ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/** RFC 4648, 4. The core has no `atob`. */
function fromBase64(text: string): Uint8Array {
  const plain = text.replace(/=+$/, "");
  const bytes = new Uint8Array(Math.floor((plain.length * 3) / 4));
  let bits = 0;
  let held = 0;
  let at = 0;
  for (const letter of plain) {
    held = (held << 6) | ALPHABET.indexOf(letter);
    bits += 6;
    if (bits >= 8) {
      bits -= 8;
      bytes[at++] = (held >> bits) & 0xff;
    }
  }
  return bytes;
}
