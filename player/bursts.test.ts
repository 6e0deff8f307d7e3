import { expect, test } from "vitest";
import { Bursts } from "./bursts";

test("tells a sound card that takes a quantum at a time from one that takes many at once", () => {
  for (const quanta of [1, 4, 7, 20]) {
    let now = 0;
    const bursts = new Bursts(() => now);
    for (let burst = 0; burst < 60; burst++) {
      for (let q = 0; q < quanta; q++) {
        bursts.count(128);
        // As time passes while a burst is computed.
        if (q % 5 === 4) now += 1;
      }
      now += (quanta * 128) / 48 - Math.floor(quanta / 5);
    }
    if (quanta > 1) expect(bursts.usual).toBeCloseTo(quanta * 128, -1);
    else expect(bursts.usual).toBeLessThanOrEqual(256);
  }
});

test("forgets a burst that was caught up with once", () => {
  let now = 0;
  const bursts = new Bursts(() => now);
  const take = (frames: number) => {
    for (let at = 0; at < frames; at += 128) bursts.count(128);
    now += frames / 48;
  };
  for (let i = 0; i < 40; i++) take(512);
  take(4096);
  for (let i = 0; i < 40; i++) take(512);
  expect(bursts.usual).toBeGreaterThan(480);
  expect(bursts.usual).toBeLessThan(560);
});
