import type { AudioReader } from "../audio/audio-reader";
import type { Alignment } from "../interchange/answers";
import { gainToDb } from "../math";
import type { Frames } from "../units";
import { loudestStretches, stretch } from "./stretch";
import { Lags, MOST_LAG, WINDOW, strongest } from "./lags";

const BLOCK: Frames = 16384;

/**
 * How a file lies to another of the same rate that it should be like, held against it where that one is
 * loudest, at every shift of up to `MOST_LAG` frames. Null where one of them is silent.
 */
export function align(file: AudioReader, sent: AudioReader): Alignment | null {
  const lags = new Lags();
  const spans: (readonly [Float32Array, Float32Array])[] = [];
  for (const from of loudestStretches(energiesOf(sent), BLOCK)) {
    const own = stretch(file, from, WINDOW);
    const wanted = stretch(sent, from - MOST_LAG, WINDOW + 2 * MOST_LAG);
    lags.add(own, wanted);
    spans.push(wanted);
  }
  if (lags.energy === 0) return null;
  const up = strongest(lags.straight);
  const down = strongest(lags.straight.map((v) => -v));
  const best = up.value >= down.value ? up : { lag: down.lag, value: down.value };
  // Where it lies over what was sent, how loud that is there.
  const there = spans.reduce((sum, span) => {
    for (const side of span)
      for (let i = 0; i < WINDOW; i++) {
        const v = side[MOST_LAG + best.lag + i] ?? 0;
        sum += v * v;
      }
    return sum;
  }, 0);
  if (there === 0 || best.value <= 0) return null;
  return {
    shift: best.lag,
    gainDb: gainToDb(Math.sqrt(lags.energy / there)),
    alike: Math.min(1, best.value / Math.sqrt(lags.energy * there)),
  };
}

/** Energies of a file, by blocks. */
function energiesOf(audio: AudioReader): readonly number[] {
  const energies: number[] = [];
  const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  for (let at = 0; at < audio.frames; at += BLOCK) {
    const n = Math.min(BLOCK, audio.frames - at);
    audio.read(at, n, left, right, 0);
    let energy = 0;
    for (const side of [left, right]) for (let i = 0; i < n; i++) energy += (side[i] as number) * (side[i] as number);
    energies.push(energy);
  }
  return energies;
}
