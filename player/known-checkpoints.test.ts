import { expect, test } from "vitest";
import { makeDevice, makeSession, makeTrack } from "../core/session/build";
import type { Session } from "../core/session/document";
import { KnownCheckpoints } from "./known-checkpoints";

/** A session with another graph than those of other names. */
const sessionOf = (name: string): Session =>
  makeSession({
    name,
    tracks: [makeTrack({ id: "mix", name: "Mix", kind: "mix", devices: [makeDevice(name, "eq")] })],
  });
const [first, second, third] = [sessionOf("first"), sessionOf("second"), sessionOf("third")];
const at = (clock: number) => ({ clock, block: 256, latency: 0, memory: new SharedArrayBuffer(100) });
const told = (known: KnownCheckpoints, session = third, frame = 1e9) =>
  known.before(session, frame).map(({ of, checkpoint }) => [of?.name ?? null, checkpoint.clock]);

test("offers the latest before a place, of the session and of the one before its last edit", () => {
  const known = new KnownCheckpoints();
  for (const clock of [100, 200, 300, 400]) known.add(known.serialOf(first), at(clock));
  for (const clock of [100, 500]) known.add(known.serialOf(second), at(clock));
  known.add(known.serialOf(third), at(250));
  known.add(known.serialOf(third), at(250));
  expect(told(known)).toEqual([
    ["second", 500],
    [null, 250],
    ["second", 100],
  ]);
  expect(told(known, third, 260)).toEqual([
    [null, 250],
    ["second", 100],
  ]);
  expect(told(known, first, 350).slice(0, 2)).toEqual([
    [null, 300],
    ["third", 250],
  ]);
  expect(told(known, first, 50)).toEqual([]);
});

test("another name is the same sound; a level that was turned is heard from zero on", () => {
  const known = new KnownCheckpoints();
  known.add(known.serialOf(first), at(100));
  expect(told(known, { ...first, name: "Other" })).toEqual([[null, 100]]);
  const turned = { ...first, tracks: first.tracks.map((t) => ({ ...t, faderDb: -3 })) };
  expect(told(known, turned)).toEqual([]);
});

test("lets those go first that were taken first", () => {
  const known = new KnownCheckpoints(250);
  for (const clock of [100, 200, 300]) known.add(known.serialOf(first), at(clock));
  expect(told(known, first)).toEqual([
    [null, 300],
    [null, 200],
  ]);
});
