import { catalogue } from "../core/devices/catalogue";
import type { DeviceDeclaration } from "../core/devices/device";
import { completeParams, still } from "../core/devices/device";
import { Arena } from "../core/kernels/arena";
import { hashOf, memoryLibrary, noise } from "../core/testing/listen";
import { tempoMap } from "../core/time/tempo";

const RATE = 48000;
const BLOCK = 512;
const MINUTES = 10;
const TURNS = 3;
/**
 * A minute is told by its quickest part in all turns, so that what else the machine does is not taken for the device.
 */
const PARTS = 6;
const BLOCKS_A_PART = Math.floor((60 * RATE) / BLOCK / PARTS);

export interface Silence {
  readonly device: string;
  /** Milliseconds the slowest minute of silence took, and the quickest one. */
  readonly slowest: number;
  readonly quickest: number;
}

/**
 * Every device after a second of sound, in ten minutes of silence, without being skipped while it rests: numbers too
 * small to be computed with quickly would show as slow minutes.
 */
export function measureSilence(): readonly Silence[] {
  return catalogue
    .filter((d) => !d.realTime)
    .map((d) => {
      const turns = Array.from({ length: TURNS }, () => minutesOf(d));
      const minutes = Array.from({ length: MINUTES }, (_, m) => Math.min(...turns.map((t) => t[m] as number)));
      return { device: d.type, slowest: Math.max(...minutes), quickest: Math.min(...minutes) };
    });
}

function minutesOf(declaration: DeviceDeclaration): readonly number[] {
  const audio = memoryLibrary({ [hashOf(1)]: noise(9000, 8, 0.5) })(hashOf(1));
  const { processor, left, right } = Arena.for((arena) => ({
    left: arena.float32(BLOCK),
    right: arena.float32(BLOCK),
    processor: declaration.create({
      rate: RATE,
      arena,
      maxFrames: BLOCK,
      controls: still(completeParams(declaration, {})),
      tempo: tempoMap([{ tick: 0, bpm: 120, shape: "hold" }], RATE),
      layers:
        declaration.layers > 0 ? [{ pad: 9, asset: hashOf(1), audio, step: 1, gain: 1, softest: 1, loudest: 127 }] : [],
      instrument: null,
      leader: null,
      pass: null,
      seed: 1,
      notes:
        declaration.role === "instrument"
          ? [45, 57, 64].map((pitch) => ({ start: 0, frames: 20000, pitch, velocity: 100 }))
          : [],
    }),
  }));
  const sound = noise(RATE, 1, 0.5);
  let at = 0;
  const block = (silent: boolean) => {
    if (silent || declaration.role === "instrument") {
      left.fill(0);
      right.fill(0);
    } else {
      left.set(sound.left.subarray(at, at + BLOCK));
      right.set(sound.right.subarray(at, at + BLOCK));
    }
    processor.process(left, right, BLOCK, at, null);
    at += BLOCK;
  };
  while (at + BLOCK <= RATE) block(false);
  // An effect does the same work while it fades; voices that still sound have other things to do, so an instrument's
  // silence begins behind its tail.
  const tail = declaration.role === "instrument" ? declaration.tail(completeParams(declaration, {}), RATE) : 0;
  while (at < RATE + tail) block(true);
  // Nothing of it is left then; what is quick is to be compiled before it is measured.
  if (declaration.role === "instrument") for (let i = 0; i < PARTS * BLOCKS_A_PART; i++) block(true);
  return Array.from({ length: MINUTES }, () =>
    Math.min(
      ...Array.from({ length: PARTS }, () => {
        const began = performance.now();
        for (let i = 0; i < BLOCKS_A_PART; i++) block(true);
        return (performance.now() - began) * PARTS;
      }),
    ),
  );
}
