import { KERNELS } from "./wasm.gen";

/** Addresses are byte offsets into the memory, as `array.byteOffset` gives them. What each does stands in reference.ts. */
export interface Kernels {
  biquad(left: number, right: number, frames: number, coefficients: number, states: number): void;
  biquadPair(left: number, right: number, frames: number, coefficients: number, states: number, coefficients2: number, states2: number): void;
  blockPeak(left: number, right: number, frames: number): number;
  addTo(sum: number, input: number, gain: number, first: number, frames: number): void;
  fromSum(out: number, sum: number, frames: number): void;
  scale(out: number, input: number, gain: number, frames: number): void;
  unpack24(bytes: number, left: number, right: number, frames: number): void;
  /** May write four bytes beyond the last frame. */
  pack(bytes: number, left: number, right: number, frames: number, channels: number, width: number, dithered: number, seed: number, start: number): number;
  interpolatedPeak(x: number, n: number, kernels: number): number;
  range(left: number, right: number, n: number, out: number): void;
  equal(left: number, right: number, n: number): number;
  synthVoice(left: number, right: number, steps: number, count: number, oscillators: number, voice: number, pulse: number, sub: number, unit: number, top: number): void;
  decimate(out: number, input: number, frames: number, over: number, kernel: number, taps: number): void;
  interpolate(out: number, input: number, frames: number, over: number, kernel: number, taps: number): void;
  multiplyAdd(yr: number, yi: number, xr: number, xi: number, hr: number, hi: number, n: number): void;
  drive(x: number, n: number, gain: number, gainStep: number, bias: number, biasStep: number): void;
  readBetween(out: number, x: number, n: number, position: number, step: number, first: number, table: number, phases: number): void;
  resonate(left: number, right: number, n: number, modes: number, gainLeft: number, gainRight: number): void;
  feedbackNetwork(left: number, right: number, n: number, out: number, ring: number, heads: number, starts: number, ends: number, lines: number, damp: number, dampStep: number): number;
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

let compiled: object | null = null;

/** Memory of a fixed size that the kernels work on, handed out piece by piece. */
export class KernelMemory {
  readonly buffer: ArrayBuffer;
  readonly run: Kernels;
  private used = FIRST;

  /** `bytes`: all that will be taken, each piece rounded up to 16. */
  constructor(bytes: number) {
    const wasm = (globalThis as unknown as { readonly WebAssembly: Wasm }).WebAssembly;
    compiled ??= new wasm.Module(fromBase64(KERNELS));
    const pages = Math.ceil((FIRST + bytes) / PAGE_BYTES);
    const memory = new wasm.Memory({ initial: pages, maximum: pages });
    this.buffer = memory.buffer;
    this.run = new wasm.Instance(compiled, { env: { memory } }).exports as Kernels;
  }

  /** Address of the next free `bytes`. */
  take(bytes: number): number {
    const at = this.used;
    this.used = rounded(at + bytes);
    if (this.used > this.buffer.byteLength) throw new RangeError("the kernel memory is smaller than what is taken from it");
    return at;
  }

  float32 = (length: number): Float32Array => new Float32Array(this.buffer, this.take(length * 4), length);
  float64 = (length: number): Float64Array => new Float64Array(this.buffer, this.take(length * 8), length);
  bytes = (length: number): Uint8Array => new Uint8Array(this.buffer, this.take(length), length);
}

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
