import fc from "fast-check";
import type { TempoPoint } from "../time/tempo";

/** Tempo maps as a session may have them: from tick 0 on, rising, 10 to 500 bpm, held and moving. */
export const tempoPoints: fc.Arbitrary<readonly TempoPoint[]> = fc
  .array(
    fc.record({
      gap: fc.integer({ min: 1, max: 20000 }),
      bpm: fc.double({ min: 10, max: 500, noNaN: true }),
      shape: fc.constantFrom("hold" as const, "ramp" as const),
    }),
    { minLength: 1, maxLength: 8 },
  )
  .map((steps) => {
    let tick = 0;
    return steps.map(({ gap, bpm, shape }, i): TempoPoint => {
      tick += i === 0 ? 0 : gap;
      return { tick, bpm, shape };
    });
  });
