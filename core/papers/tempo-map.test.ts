import fc from "fast-check";
import { parseMidi } from "midi-file";
import { describe, expect, test } from "vitest";
import { makeSession } from "../session/build";
import type { Session } from "../session/document";
import { tempoPoints } from "../testing/random-tempo";
import type { MeterPoint } from "../time/meter";
import { meterMap } from "../time/meter";
import type { TempoPoint } from "../time/tempo";
import { tempoMap } from "../time/tempo";
import { tempoMapFile } from "./tempo-map";

const song = (parts: Partial<Session>): Session => makeSession({ name: "Söng", tracks: [], ...parts });

/** Goes through a file with an independent reader: where each event stands, in ticks. */
function readBack(file: Uint8Array) {
  const { header, tracks } = parseMidi(file);
  expect(header).toMatchObject({ format: 1, numTracks: 1, ticksPerBeat: 960 });
  let tick = 0;
  return tracks[0]!.map((event) => ({ ...event, tick: (tick += event.deltaTime) }));
}

/** Seconds at a tick by the file's tempo alone. */
function secondsAt(events: ReturnType<typeof readBack>, tick: number): number {
  let [seconds, at, each] = [0, 0, 500_000];
  for (const event of events) {
    if (event.type !== "setTempo" || event.tick > tick) continue;
    seconds += ((event.tick - at) / 960) * (each / 1e6);
    [at, each] = [event.tick, event.microsecondsPerBeat];
  }
  return seconds + ((tick - at) / 960) * (each / 1e6);
}

/** First ticks of the bars by the file's meters alone, up to a tick. */
function barsOf(events: ReturnType<typeof readBack>, to: number): readonly number[] {
  const meters = events.flatMap((e) =>
    e.type === "timeSignature" ? [{ tick: e.tick, bar: (e.numerator * 3840) / e.denominator }] : [],
  );
  return meters.flatMap(({ tick, bar }, i) => {
    const until = Math.min(to, meters[i + 1]?.tick ?? to);
    return Array.from({ length: Math.max(0, Math.ceil((until - tick) / bar)) }, (_, k) => tick + k * bar);
  });
}

const meters = fc
  .array(
    fc.record({
      gap: fc.integer({ min: 1, max: 5 }),
      numerator: fc.integer({ min: 1, max: 15 }),
      denominator: fc.constantFrom(2 as const, 4 as const, 8 as const, 16 as const),
    }),
    { minLength: 1, maxLength: 5 },
  )
  .map((steps) => {
    let bar = 1;
    return steps.map(({ gap, ...meter }, i): MeterPoint => ({ bar: (bar += i === 0 ? 0 : gap), ...meter }));
  });

describe("the tempo map of a delivery", () => {
  test("a reader of others finds every change of tempo at its time, whatever moves and wherever it begins", () => {
    fc.assert(
      fc.property(tempoPoints, fc.nat(40000), fc.integer({ min: 1, max: 90000 }), (tempo, from, length) => {
        const events = readBack(tempoMapFile(song({ tempo }), from, from + length));
        const map = tempoMap(tempo, 48000);
        expect(events.at(-1)).toMatchObject({ type: "endOfTrack", tick: length });
        // Between the steps of a ramp it is a straight line, and at them it is the ramp.
        const places = [...events.filter((e) => e.type === "setTempo").map((e) => e.tick), length];
        for (const tick of places) {
          const wanted = map.toSeconds(from + tick) - map.toSeconds(from);
          // Half a microsecond a quarter is what a held tempo may be off.
          expect(Math.abs(secondsAt(events, tick) - wanted)).toBeLessThanOrEqual(0.5e-6 * (tick / 960) + 1e-9);
        }
      }),
      { numRuns: 300, seed: 5 },
    );
  });

  test("its bars are the session's, also where the first is cut by the first frame", () => {
    fc.assert(
      fc.property(
        meters,
        fc.nat(7).map((n) => n * 960),
        fc.nat(800).map((n) => n * 60),
        (meter, leadIn, from) => {
          const to = from + 40000;
          const events = readBack(tempoMapFile(song({ meter, leadIn }), from, to));
          const map = meterMap(meter, leadIn);
          const wanted: number[] = [];
          for (let bar = map.position(from).bar; map.barToTick(bar) < to; bar++) wanted.push(map.barToTick(bar) - from);
          expect(barsOf(events, 40000)).toEqual([0, ...wanted.filter((tick) => tick > 0)]);
        },
      ),
      { numRuns: 300, seed: 6 },
    );
  });

  test("holds the markers within the stretch, by name, and the song's", () => {
    const markers = [100, 960, 4000, 9000].map((tick, i) => ({ id: `m${i}`, name: `Märker ${i}`, tick }));
    const events = readBack(tempoMapFile(song({ markers }), 960, 4800));
    const decoded = (text: string) => Buffer.from(text, "latin1").toString("utf8");
    expect(events.flatMap((e) => (e.type === "marker" ? [[e.tick, decoded(e.text)]] : []))).toEqual([
      [0, "Märker 1"],
      [3040, "Märker 2"],
    ]);
    expect(events.flatMap((e) => (e.type === "trackName" ? [decoded(e.text)] : []))).toEqual(["Söng"]);
  });

  test("a long ramp is four thousand steps, not one a sixteenth", () => {
    const tempo: TempoPoint[] = [
      { tick: 0, bpm: 60, shape: "ramp" },
      { tick: 1e9, bpm: 180, shape: "hold" },
    ];
    const events = readBack(tempoMapFile(song({ tempo }), 0, 2e9));
    expect(events.filter((e) => e.type === "setTempo").length).toBe(4097);
    expect(events.at(-1)!.tick).toBe(2e9);
  });
});
