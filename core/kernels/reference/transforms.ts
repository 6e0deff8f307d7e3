/** y += x * h for complex numbers kept as two rows each. */
export function multiplyAdd(
  yr: Float64Array,
  yi: Float64Array,
  xr: Float64Array,
  xi: Float64Array,
  hr: Float64Array,
  hi: Float64Array,
  n: number,
): void {
  for (let k = 0; k < n; k++) {
    const a = xr[k] as number,
      b = xi[k] as number,
      c = hr[k] as number,
      d = hi[k] as number;
    yr[k] = (yr[k] as number) + (a * c - b * d);
    yi[k] = (yi[k] as number) + (a * d + b * c);
  }
}
