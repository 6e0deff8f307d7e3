import { expect } from "vitest";

type Samples = Float32Array | Float64Array | Uint8Array | Int16Array | Int32Array;
const KINDS = [Float32Array, Float64Array, Uint8Array, Int16Array, Int32Array];

/**
 * Whether two arrays of numbers are the same, number by number, as the runner means it: a zero with a sign is not one
 * without. The runner's own way takes a hundred times as long, which is most of the time of tests that compare sound.
 */
function sameSamples(a: unknown, b: unknown): boolean | undefined {
  const kind = KINDS.find((k) => a instanceof k);
  if (!kind || !(b instanceof kind)) return undefined;
  const [x, y] = [a as Samples, b as Samples];
  // Of two kinds of the same array (a Buffer is a Uint8Array) the runner tells.
  if (x.constructor !== y.constructor) return undefined;
  if (x.length !== y.length) return false;
  for (let i = 0; i < x.length; i++) if (!Object.is(x[i], y[i])) return false;
  return true;
}

expect.addEqualityTesters([sameSamples]);
