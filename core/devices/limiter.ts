import { dbToGain, exp } from "../math";
import type { DeviceDeclaration, Params, Processor } from "./device";
import { dbParam, millisParam, valueOf } from "./device";

const lookaheadFrames = (params: Params, rate: number) => Math.max(1, Math.round((valueOf(params, "lookaheadMs") * rate) / 1000));

/**
 * Lookahead peak limiter: the gain each sample needs, its minimum over the lookahead window, averaged over the same
 * window, meets the signal delayed by it, so the output never passes the ceiling. Below the ceiling the gain is exactly 1.
 */
export const limiter: DeviceDeclaration = {
  type: "limiter",
  name: "Limit",
  about: "Keeps peaks under a ceiling by looking ahead",
  role: "effect",
  params: [
    dbParam("ceilingDb", "Ceiling", -24, 0, -1),
    millisParam("lookaheadMs", "Lookahead", 0.5, 10, 2),
    millisParam("releaseMs", "Release", 5, 1000, 80),
  ],
  linear: false,
  takesKey: false,
  latency: lookaheadFrames,
  create({ rate, arena, params }): Processor {
    const ceiling = dbToGain(valueOf(params, "ceilingDb"));
    const release = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
    const delay = lookaheadFrames(params, rate);
    const window = delay + 1;
    const ringLeft = arena.float32(delay);
    const ringRight = arena.float32(delay);
    // Sliding minimum by a queue of rising candidates (Lemire 2006), then a moving average of the held gains.
    const candidates = arena.float64(window);
    const stamps = arena.float64(window);
    const held = arena.float64(window).fill(1);
    let head = 0;
    let count = 0;
    let clock = 0;
    let slot = 0;
    let heldSlot = 0;
    let sum = window;
    let unityRun = window;
    let gain = 1;
    let silentRun = delay;
    return {
      process(left, right, frames) {
        for (let i = 0; i < frames; i++) {
          const l = left[i] as number;
          const r = right[i] as number;
          const peak = Math.max(Math.abs(l), Math.abs(r));
          silentRun = peak === 0 ? silentRun + 1 : 0;
          const need = peak > ceiling ? ceiling / peak : 1;
          while (count > 0 && (candidates[(head + count - 1) % window] as number) >= need) count--;
          const tail = (head + count) % window;
          candidates[tail] = need;
          stamps[tail] = clock;
          count++;
          if ((stamps[head] as number) <= clock - window) {
            head = (head + 1) % window;
            count--;
          }
          clock++;
          const lowest = candidates[head] as number;
          gain = lowest < gain ? lowest : gain + release * (lowest - gain);
          if (1 - gain < 1e-9) gain = 1;
          sum += gain - (held[heldSlot] as number);
          held[heldSlot] = gain;
          heldSlot = heldSlot + 1 === window ? 0 : heldSlot + 1;
          unityRun = gain === 1 ? unityRun + 1 : 0;
          if (unityRun >= window) sum = window;
          const applied = sum === window ? 1 : sum / window;
          const delayedLeft = ringLeft[slot] as number;
          const delayedRight = ringRight[slot] as number;
          ringLeft[slot] = l;
          ringRight[slot] = r;
          slot = slot + 1 === delay ? 0 : slot + 1;
          left[i] = delayedLeft * applied;
          right[i] = delayedRight * applied;
        }
      },
      get resting() {
        return silentRun >= delay && unityRun >= window;
      },
    };
  },
};
