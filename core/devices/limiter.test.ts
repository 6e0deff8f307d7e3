import { describe, expect, test } from "vitest";
import { Fft } from "../kernels/fft";
import { makeAudioClip, makeDevice, makeSession, makeTrack } from "../session/build";
import { hashOf, listen, memoryLibrary, tapAt } from "../testing/listen";

const N = 8192;
const TIMES = 16;
/** What the window's edges disturb is not looked at. */
const EDGE = 1100;

/** Peak of a stretch between the samples too: as a band-limited signal, at sixteen times its rate. */
function idealPeak(x: Float32Array, from: number): number {
  const [re, im] = [new Float64Array(N), new Float64Array(N)];
  for (let i = 0; i < N; i++) {
    const near = Math.min(1, Math.min(i, N - 1 - i) / 1024);
    re[i] = (x[from + i] ?? 0) * (0.5 - 0.5 * Math.cos(Math.PI * near));
  }
  new Fft(N).forward(re, im);
  const size = N * TIMES;
  const [wideRe, wideIm] = [new Float64Array(size), new Float64Array(size)];
  for (let k = 0; k < N / 2; k++) {
    wideRe[k] = re[k] as number;
    wideIm[k] = im[k] as number;
    if (k === 0) continue;
    wideRe[size - k] = re[N - k] as number;
    wideIm[size - k] = im[N - k] as number;
  }
  new Fft(size).inverse(wideRe, wideIm);
  let peak = 0;
  for (let i = EDGE * TIMES; i < size - EDGE * TIMES; i++) peak = Math.max(peak, Math.abs(wideRe[i] as number));
  return peak / N;
}

/** Sounds without anything above 0.45 of the rate, by how often they repeat in a frame. */
const sounds: Readonly<Record<string, (frame: number, each: number) => number>> = {
  "a square": (i, f) => {
    let sum = 0;
    for (let k = 1; k * f < 0.45; k += 2) sum += Math.sin(2 * Math.PI * k * f * i) / k;
    return 1.27 * sum;
  },
  "a saw": (i, f) => {
    let sum = 0;
    for (let k = 1; k * f < 0.45; k++) sum += Math.sin(2 * Math.PI * k * f * i + k) / k;
    return sum;
  },
  "a high tone that comes and goes": (i, f) => Math.sin(2 * Math.PI * 0.4 * i) * (0.6 + 0.4 * Math.sin(0.2 * f * i)),
};

describe("the limiter, peaks between samples", () => {
  test.each(Object.keys(sounds))(
    "%s stays under the ceiling to 0.1 dB, looked at sixteen times as finely",
    (name) => {
      for (const lookaheadMs of [0.5, 2])
        for (const each of [0.0113, 0.043, 0.173, 0.2131, 0.249]) {
          const x = Float32Array.from({ length: 20_000 }, (_, i) => 0.9 * (sounds[name]?.(i, each) ?? 0));
          const session = makeSession({
            assets: [{ id: hashOf(1), name: "x", frames: x.length, rate: 48000, channels: 2, origin: "generated" }],
            tracks: [
              makeTrack({
                id: "a",
                name: "A",
                kind: "audio",
                clips: [makeAudioClip({ id: "c", asset: hashOf(1), start: 0, frames: x.length })],
                devices: [makeDevice("l", "limiter", { ceilingDb: -12, truePeak: 1, lookaheadMs, releaseMs: 20 })],
              }),
              makeTrack({ id: "mix", name: "Mix", kind: "mix" }),
            ],
          });
          const library = memoryLibrary({ [hashOf(1)]: { left: x, right: x } });
          const [heard] = listen(session, [tapAt("devices", "a")], { library, to: x.length, tail: "none" });
          const peak = Math.max(idealPeak(heard?.left ?? x, 2000), idealPeak(heard?.left ?? x, 9000));
          expect(20 * Math.log10(peak) + 12).toBeLessThan(0.1);
        }
    },
    60_000,
  );
});
