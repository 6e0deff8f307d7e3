import { dbToGain } from "../math";
import { randomBipolar } from "../random";
import type { Frames, Hertz } from "../units";
import { Arena } from "../kernels/arena";
import { tempoMap } from "../time/tempo";
import type { Params, Processor } from "./device";
import { QUANTUM, completeParams, dbParam, effect, fixed, millisParam, still, stepsParam, valueOf } from "./device";
import { shape } from "./saturator";

/** What the way out and back takes beside the set time, in frames: converters and buffers. */
const CONVERTERS: Frames = 37;

const roundTrip = (params: Params, rate: Hertz): Frames =>
  Math.round((valueOf(params, "cableMs") * rate) / 1000) + CONVERTERS;

/**
 * Stands in for a piece of hardware at the end of two cables: a round trip that the session does not know until it has
 * been pinged, a soft valve, and a hiss that is different in every pass. It works in real time only; the same pass
 * number gives the same hiss.
 */
export const outboard = effect({
  type: "outboard",
  name: "Outboard",
  about: "A hardware insert: real time only, to be pinged, never twice the same",
  params: [
    dbParam("driveDb", "Drive", 0, 24, 4),
    dbParam("hissDb", "Hiss", -120, -50, -84),
    fixed(millisParam("cableMs", "Round trip of the hardware", 1, 100, 6.4)),
    stepsParam("pingFrames", "Measured round trip", "", 0, 16384, 0),
  ],
  realTime: true,
  latency: (params) => Math.round(valueOf(params, "pingFrames")),
  tail: () => Infinity,
  create({ rate, arena, controls, seed, pass }): Processor {
    const { params } = controls;
    const length = roundTrip(params, rate);
    const ringLeft = arena.float32(length),
      ringRight = arena.float32(length);
    let slot = 0;
    let frame = 0;
    arena.keeps(
      () => [slot, frame],
      (kept) => {
        [slot = 0, frame = 0] = kept;
      },
    );
    const noise = (pass ?? 0) * 7919 + seed;
    return {
      process(left, right, frames, at) {
        for (let from = 0; from < frames; from += QUANTUM) {
          if (controls.moving) controls.to(at + from + QUANTUM);
          const drive = dbToGain(valueOf(params, "driveDb")),
            hiss = dbToGain(valueOf(params, "hissDb"));
          for (let i = from; i < from + QUANTUM; i++) {
            const l = ringLeft[slot] as number,
              r = ringRight[slot] as number;
            ringLeft[slot] = left[i] as number;
            ringRight[slot] = right[i] as number;
            slot = slot + 1 === length ? 0 : slot + 1;
            left[i] = shape(drive * l) / drive + hiss * randomBipolar(noise, 2 * frame);
            right[i] = shape(drive * r) / drive + hiss * randomBipolar(noise, 2 * frame + 1);
            frame++;
          }
        }
      },
      resting: false,
    };
  },
});

/** Sends a click through the hardware and finds when it comes back, in frames: the value for `pingFrames`. */
export function ping(params: Params, rate: Hertz, pass: number): Frames {
  const complete = completeParams(outboard, params);
  const frames = Math.ceil((roundTrip(complete, rate) + QUANTUM) / QUANTUM + 1) * QUANTUM;
  const { processor, left, right } = Arena.for((arena) => ({
    left: arena.float32(frames),
    right: arena.float32(frames),
    processor: outboard.create({
      rate,
      arena,
      maxFrames: frames,
      controls: still(complete),
      tempo: tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], rate),
      layers: [],
      instrument: null,
      leader: null,
      pass,
      seed: 1,
      notes: [],
    }),
  }));
  left[0] = right[0] = 0.5;
  processor.process(left, right, frames, 0, null);
  return left.reduce((best, v, i) => (Math.abs(v) > Math.abs(left[best] as number) ? i : best), 0);
}
