import { dbToGain, exp, gainToDb } from "../math";
import type { DeviceDeclaration, Processor } from "./device";
import { dbParam, millisParam, valueOf } from "./device";

/** Gain change in dB that a static compressor curve asks for at a level. Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4. */
export function compressionDb(levelDb: number, thresholdDb: number, ratio: number, kneeDb: number): number {
  const over = levelDb - thresholdDb;
  if (2 * over <= -kneeDb) return 0;
  const slope = 1 / ratio - 1;
  if (kneeDb > 0 && 2 * Math.abs(over) < kneeDb) {
    const into = over + kneeDb / 2;
    return (slope * into * into) / (2 * kneeDb);
  }
  return slope * over;
}

/** Feed-forward compressor on the louder channel's peak, gain smoothed in dB, optionally steered by a key track. */
export const compressor: DeviceDeclaration = {
  type: "compressor",
  name: "Comp",
  about: "Evens out level, or ducks under a key track",
  role: "effect",
  params: [
    dbParam("thresholdDb", "Threshold", -60, 0, -18),
    { id: "ratio", name: "Ratio", unit: ":1", min: 1, max: 20, default: 3, taper: "log" },
    dbParam("kneeDb", "Knee", 0, 24, 6),
    millisParam("attackMs", "Attack", 0.1, 200, 12),
    millisParam("releaseMs", "Release", 10, 2000, 160),
    dbParam("makeupDb", "Make-up", 0, 24, 0),
  ],
  linear: false,
  takesKey: true,
  latency: () => 0,
  create({ rate, params }): Processor {
    const threshold = valueOf(params, "thresholdDb");
    const ratio = valueOf(params, "ratio");
    const knee = valueOf(params, "kneeDb");
    const attack = 1 - exp(-1000 / (valueOf(params, "attackMs") * rate));
    const release = 1 - exp(-1000 / (valueOf(params, "releaseMs") * rate));
    const makeup = dbToGain(valueOf(params, "makeupDb"));
    const floor = dbToGain(threshold - knee / 2);
    let reduction = 0;
    return {
      process(left, right, frames, _at, key) {
        const keyLeft = key ? key.left : left;
        const keyRight = key ? key.right : right;
        for (let i = 0; i < frames; i++) {
          const peak = Math.max(Math.abs(keyLeft[i] as number), Math.abs(keyRight[i] as number));
          const wanted = peak > floor ? compressionDb(gainToDb(peak), threshold, ratio, knee) : 0;
          reduction += (wanted < reduction ? attack : release) * (wanted - reduction);
          // A ten-billionth of a dB is far below a float's resolution: the gain is then exactly the make-up.
          if (reduction > -1e-10) reduction = 0;
          const gain = reduction === 0 ? makeup : makeup * dbToGain(reduction);
          left[i] = (left[i] as number) * gain;
          right[i] = (right[i] as number) * gain;
        }
      },
      get resting() {
        return reduction === 0;
      },
    };
  },
};
