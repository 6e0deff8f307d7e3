import { expect, test } from "vitest";
import { makeSession } from "../core/session/build";
import { meterMap } from "../core/time/meter";
import { tempoMap } from "../core/time/tempo";
import { checkpointPlaces } from "./checkpoint-places";

const placesOf = (session: ReturnType<typeof makeSession>, count: number): readonly number[] => {
  const next = checkpointPlaces(session);
  const places = [next(0)];
  while (places.length < count) places.push(next(places.at(-1)!));
  return places;
};

test("are bars, and whole seconds within a bar", () => {
  const session = makeSession({ tracks: [], rate: 48000, tempo: [{ tick: 0, bpm: 96, shape: "hold" }] });
  expect(placesOf(session, 6)).toEqual([48_000, 96_000, 120_000, 168_000, 216_000, 240_000]);
});

test("are at least half a second apart, also where bars are short, and are every bar that is longer", () => {
  for (const leadIn of [0, 700])
    for (const [bpm, numerator, denominator] of [
      [500, 1, 32],
      [140, 3, 8],
      [97.3, 4, 4],
      [61, 7, 4],
      [10, 5, 1],
    ] as const) {
      const session = makeSession({
        tracks: [],
        rate: 44100,
        leadIn,
        tempo: [
          { tick: 0, bpm, shape: "ramp" },
          { tick: 38_400, bpm: bpm / 1.01 + 0.2, shape: "hold" },
        ],
        meter: [{ bar: 1, numerator, denominator }],
      });
      const places = placesOf(session, 50);
      const steps = places.map((place, i) => place - (places[i - 1] ?? 0));
      expect(Math.min(...steps)).toBeGreaterThanOrEqual(22_050);
      expect(Math.max(...steps)).toBeLessThan(2 * 44_100);
      const [tempo, meter] = [tempoMap(session.tempo, 44100), meterMap(session.meter, leadIn)];
      const first = tempo.toFrames(meter.barToTick(2));
      for (let bar = 2; tempo.toFrames(meter.barToTick(bar)) < places.at(-1)!; bar++) {
        const frame = tempo.toFrames(meter.barToTick(bar));
        const isLong = tempo.toFrames(meter.barToTick(bar + 1)) - frame >= 22_050 && first >= 22_050;
        if (isLong) expect(places).toContain(frame);
      }
    }
});
