import { expect, test } from "vitest";
import { randomBipolar, randomBits, randomUnit, seedFrom } from "./random";

const COUNT = 200_000;

test("values are spread evenly and have no lean", () => {
  let sum = 0;
  const bins = new Array<number>(16).fill(0);
  for (let i = 0; i < COUNT; i++) {
    sum += randomBipolar(7, i);
    const bin = Math.floor(randomUnit(7, i) * 16);
    bins[bin] = (bins[bin] ?? 0) + 1;
  }
  // Standard deviation of the mean of a uniform over [-1, 1) is 1 / sqrt(3 n); five of them.
  expect(Math.abs(sum / COUNT)).toBeLessThan(5 / Math.sqrt(3 * COUNT));
  for (const bin of bins) expect(Math.abs(bin - COUNT / 16)).toBeLessThan(5 * Math.sqrt(COUNT / 16));
});

test("neighbours in index and in seed have nothing in common", () => {
  let bits = 0;
  for (let i = 0; i < 4096; i++) {
    let differing = (randomBits(1, i) ^ randomBits(1, i + 1)) >>> 0;
    for (; differing !== 0; differing >>>= 1) bits += differing & 1;
  }
  expect(bits / 4096).toBeGreaterThan(15.5);
  expect(bits / 4096).toBeLessThan(16.5);
});

test("a slice of a noise is the same whether it is made alone or not, and texts make different seeds", () => {
  const whole = Array.from({ length: 100 }, (_, i) => randomBits(3, i));
  expect(Array.from({ length: 10 }, (_, i) => randomBits(3, 40 + i))).toEqual(whole.slice(40, 50));
  expect(seedFrom("pad-1")).not.toBe(seedFrom("pad-2"));
});
