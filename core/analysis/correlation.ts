import FFT from "fft.js";
import type { Frames } from "../units";

/**
 * How many frames `signal` comes after `reference`: the lag with the largest cross-correlation, searched over half the
 * length to either side. Both have the same length, a power of two. Null when one of them is silent.
 */
export function offsetFrames(signal: Float32Array, reference: Float32Array): Frames | null {
  const n = signal.length;
  const size = 2 * n;
  const fft = new FFT(size);
  const spectrum = (x: Float32Array) => {
    const input = new Float64Array(2 * size);
    for (let i = 0; i < n; i++) input[2 * i] = x[i] as number;
    const out = new Float64Array(2 * size);
    fft.transform(out, input);
    return out;
  };
  const a = spectrum(signal);
  const b = spectrum(reference);
  const product = new Float64Array(2 * size);
  for (let k = 0; k < size; k++) {
    const ar = a[2 * k] as number,
      ai = a[2 * k + 1] as number;
    const br = b[2 * k] as number,
      bi = b[2 * k + 1] as number;
    product[2 * k] = ar * br + ai * bi;
    product[2 * k + 1] = ai * br - ar * bi;
  }
  const correlation = new Float64Array(2 * size);
  fft.inverseTransform(correlation, product);
  let best = 0;
  let strongest = 0;
  for (let lag = -n / 2; lag < n / 2; lag++) {
    const value = Math.abs(correlation[2 * ((lag + size) % size)] as number);
    if (value > strongest) {
      strongest = value;
      best = lag;
    }
  }
  return strongest > 0 ? best : null;
}
