/** y += x * h for complex numbers kept as two rows each; n is a multiple of 2. */
export function multiplyAdd(yr: usize, yi: usize, xr: usize, xi: usize, hr: usize, hi: usize, n: i32): void {
  for (let at: usize = 0; at < (<usize>n) << 3; at += 16) {
    const a = v128.load(xr + at),
      b = v128.load(xi + at),
      c = v128.load(hr + at),
      d = v128.load(hi + at);
    v128.store(yr + at, f64x2.add(v128.load(yr + at), f64x2.sub(f64x2.mul(a, c), f64x2.mul(b, d))));
    v128.store(yi + at, f64x2.add(v128.load(yi + at), f64x2.add(f64x2.mul(a, d), f64x2.mul(b, c))));
  }
}
