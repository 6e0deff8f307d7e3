import { f } from "./states";

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3, in single precision. */
export function saturate(value: number): number {
  const x = Math.max(-3, Math.min(3, value));
  const z = f(x * x);
  return f(f(x * f(27 + z)) / f(27 + f(9 * z)));
}

/** x = curve(drive * x + bias) - curve(bias), drive and bias moving by a step a sample. */
export function drive(
  x: Float32Array,
  n: number,
  gain: number,
  gainStep: number,
  bias: number,
  biasStep: number,
): void {
  for (let i = 0; i < n; i++) {
    const g = f(f(gain) + f(f(gainStep) * (i + 1)));
    const b = f(f(bias) + f(f(biasStep) * (i + 1)));
    x[i] = f(saturate(f(f(g * (x[i] as number)) + b)) - saturate(b));
  }
}

/** The curve averaged over the two steps around each, from straight lines between them: see the kernel. */
export function driveFine(
  out: Float32Array,
  x: Float32Array,
  n: number,
  points: number,
  gain: number,
  gainStep: number,
  bias: number,
  biasStep: number,
  carry: number,
): number {
  const share = f(1 / points);
  let kept = carry;
  const sum = (lanes: Float32Array) => {
    const [a = 0, b = 0, c = 0, d = 0] = lanes;
    return f(f(a + b) + f(c + d));
  };
  for (let i = 0; i < n; i++) {
    const g = f(f(gain) + f(f(gainStep) * (i + 1)));
    const b = f(f(bias) + f(f(biasStep) * (i + 1)));
    const from = f(f(g * (x[i] as number)) + b);
    const by = f(g * f((x[i + 1] as number) - (x[i] as number)));
    const falling = new Float32Array(4),
      rising = new Float32Array(4);
    for (let k = 0; k < points; k++) {
      const along = f(k * share);
      const y = saturate(f(from + f(by * along)));
      rising[k % 4] = f((rising[k % 4] as number) + f(y * f(along * share)));
      falling[k % 4] = f((falling[k % 4] as number) + f(y * f(f(1 - along) * share)));
    }
    out[i] = f(f(kept + sum(falling)) - saturate(b));
    kept = sum(rising);
  }
  return kept;
}

/** The longest step between neighbours of `n` numbers. What is no number is no step. */
export function longestStep(x: Float32Array, n: number): number {
  let longest = 0;
  for (let i = 1; i < n; i++) {
    const step = Math.abs((x[i] as number) - (x[i - 1] as number));
    if (step > longest) longest = step;
  }
  return longest;
}

/** x = dry + wet * (driven * gain - dry); gain and wet move by a step before each sample. */
export function blend(
  x: Float32Array,
  dry: Float32Array,
  driven: Float32Array,
  n: number,
  gain: number,
  gainStep: number,
  wet: number,
  wetStep: number,
): void {
  let [g, w] = [gain, wet];
  for (let i = 0; i < n; i++) {
    g += gainStep;
    w += wetStep;
    const plain = dry[i] as number;
    x[i] = plain + w * ((driven[i] as number) * g - plain);
  }
}
