import { expect, test } from "vitest";

test("arrays of numbers are the same where each number is, wherever they stand", () => {
  const a = Float32Array.of(0.5, NaN, 0, -1);
  expect({ in: [a] }).toEqual({ in: [a.slice()] });
  for (const [at, value] of [
    [0, 0.25],
    [1, 0],
    [2, -0],
    [3, 1],
  ] as const) {
    const b = a.slice();
    b[at] = value;
    expect({ in: [a] }).not.toEqual({ in: [b] });
  }
  expect(a).not.toEqual(a.subarray(1));
  expect(a).not.toEqual(Float64Array.from(a));
  expect(Buffer.from([1, 2])).toEqual(Buffer.from([1, 2]));
  expect(Uint8Array.of(1, 2)).not.toEqual(Uint8Array.of(1, 3));
});
