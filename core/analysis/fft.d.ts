declare module "fft.js" {
  export default class FFT {
    constructor(size: number);
    createComplexArray(): number[];
    transform(out: number[] | Float64Array, input: number[] | Float64Array): void;
    inverseTransform(out: number[] | Float64Array, input: number[] | Float64Array): void;
  }
}
