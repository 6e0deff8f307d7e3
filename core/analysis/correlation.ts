import { Fft } from "../kernels/fft";
import type { Frames } from "../units";

/**
 * How many frames `signal` comes after `reference`: the lag with the largest cross-correlation, searched over half the
 * length to either side. Both have the same length, a power of two. Null when one of them is silent.
 */
export function offsetFrames(signal: Float32Array, reference: Float32Array): Frames | null {
  const n = signal.length;
  const size = 2 * n;
  const fft = new Fft(size);
  const spectrum = (x: Float32Array) => {
    const [re, im] = [new Float64Array(size), new Float64Array(size)];
    re.set(x);
    fft.forward(re, im);
    return { re, im };
  };
  const a = spectrum(signal);
  const b = spectrum(reference);
  const correlation = new Float64Array(size);
  const imaginary = new Float64Array(size);
  for (let k = 0; k < size; k++) {
    const [ar, ai] = [a.re[k] as number, a.im[k] as number];
    const [br, bi] = [b.re[k] as number, b.im[k] as number];
    correlation[k] = ar * br + ai * bi;
    imaginary[k] = ai * br - ar * bi;
  }
  fft.inverse(correlation, imaginary);
  let best = 0;
  let strongest = 0;
  for (let lag = -n / 2; lag < n / 2; lag++) {
    const value = Math.abs(correlation[(lag + size) % size] as number);
    if (value > strongest) {
      strongest = value;
      best = lag;
    }
  }
  return strongest > 0 ? best : null;
}
