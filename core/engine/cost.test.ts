import { expect, test } from "vitest";
import { catalogue } from "../devices/catalogue";
import { completeParams } from "../devices/device";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import type { Track } from "../session/document";
import { hashOf } from "../testing/listen";
import { recordedAssets } from "../testing/random-session";
import { STRETCHES, meanCost, trackCosts } from "./cost";

const track = (id: string, more: Partial<Track> = {}) =>
  makeTrack({
    id,
    name: id,
    kind: "audio",
    clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: 48000 })],
    ...more,
  });
const mix = makeTrack({ id: "mix", name: "Mix", kind: "mix" });
const costs = (...tracks: readonly Track[]) =>
  trackCosts(makeSession({ assets: recordedAssets, tracks: [...tracks, mix] }));
const mean = (t: Track) => meanCost(costs(t).get(t.id)!);

test("a track costs more with each device that is on, and nothing more with one that is off or not here", () => {
  const eq = makeDevice("e", "eq");
  const plain = mean(track("t"));
  expect(mean(track("t", { devices: [eq] }))).toBeGreaterThan(plain);
  expect(mean(track("t", { devices: [eq, makeDevice("r", "reverb")] }))).toBeGreaterThan(
    mean(track("t", { devices: [eq] })),
  );
  expect(mean(track("t", { devices: [{ ...eq, on: false }] }))).toBe(plain);
  expect(mean(track("t", { devices: [makeDevice("x", "from-elsewhere")] }))).toBe(plain);
});

test("frozen, it costs what a file costs, whatever its devices", () => {
  const frozen = { asset: hashOf(2), fingerprint: hashOf(3) };
  expect(mean(track("t", { frozen, devices: [makeDevice("v", "convolution")] }))).toBe(mean(track("t", { frozen })));
});

test("what plays early costs early: devices count in the stretches in which something passes them", () => {
  const early = costs(
    track("t", { devices: [makeDevice("v", "convolution")] }),
    track("far", { clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 48000 * 15, frames: 48000 })] }),
  ).get("t")!;
  expect(early.length).toBe(STRETCHES);
  expect(early[0]).toBeGreaterThan(10 * early[STRETCHES - 1]!);
});

test("every device of the catalogue says what it costs, at any of its settings", () => {
  for (const device of catalogue) {
    const cost = device.cost(completeParams(device, {}));
    expect(cost, device.type).toBeGreaterThanOrEqual(0);
    expect(Number.isFinite(cost), device.type).toBe(true);
    for (const p of device.params)
      for (const value of [p.min, p.max])
        expect(device.cost(completeParams(device, { [p.id]: value })), `${device.type} ${p.id}`).toBeGreaterThanOrEqual(
          0,
        );
  }
});
