import { expect, test } from "vitest";
import { framesOfBeats, tempoMap } from "./tempo";

test("a number of beats from any frame ends where the integral of the tempo says, also on a ramp", () => {
  const map = tempoMap(
    [
      { tick: 0, bpm: 60, shape: "ramp" },
      { tick: 15_360, bpm: 180, shape: "hold" },
    ],
    48000,
  );
  for (let from = 1; from < 400_000; from += 7919) {
    // Summed up in small steps of time: beats passed are the integral of the tempo over time.
    const frames = framesOfBeats(map, from, 3);
    let beats = 0;
    const step = 16;
    for (let at = 0; at < frames; at += step) {
      const n = Math.min(step, frames - at);
      beats += (map.bpmAt(map.placeOf(from + at + n / 2)) / 60) * (n / 48000);
    }
    expect(Math.abs(beats - 3)).toBeLessThan(1.5 * (180 / 60 / 48000));
  }
});
