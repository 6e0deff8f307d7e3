import { range, writeSoundFont } from "./sound-font";

const RATE = 32_000;
/** A pluck of half a second: partials that fall, each at a multiple of the first one's frequency. */
const pluck = (hz: number, partials: readonly number[]): Float32Array =>
  Float32Array.from({ length: RATE / 2 }, (_, i) => {
    const t = i / RATE;
    const sum = partials.reduce(
      (x, n, k) => x + Math.exp(-t * (4 + 3 * k)) * (Math.sin(2 * Math.PI * hz * n * t) / (k + 1)),
      0,
    );
    return 0.4 * sum * Math.min(1, t / 0.002);
  });
/** A tone with a period of whole frames, so that whole periods loop. */
const reed = (frames: number): Float32Array =>
  Float32Array.from({ length: 40 * frames }, (_, i) => {
    const x = (2 * Math.PI * i) / frames;
    return 0.3 * (Math.sin(x) + Math.sin(2 * x) / 2 + Math.sin(3 * x) / 3 + Math.sin(5 * x) / 6);
  });

/** A SoundFont of our own: a pluck over two recordings, a reed that loops, and a kit of two sounds. */
export const tinyFont = (): Uint8Array =>
  writeSoundFont({
    name: "Lamp Room",
    samples: [
      { name: "Pluck low", audio: pluck(130.81, [1, 2, 3.01, 4.02]), rate: RATE, key: 48 },
      { name: "Pluck high", audio: pluck(523.25, [1, 2, 3.01]), rate: RATE, key: 72 },
      { name: "Reed", audio: reed(100), rate: RATE, key: 63, cents: 49, loopFrom: 1000, loopTo: 3000 },
      { name: "Knock", audio: pluck(90, [1, 1.6, 2.3]), rate: RATE, key: 36 },
    ],
    instruments: [
      {
        name: "Pluck",
        zones: [
          { generators: { releaseVolEnv: -2400, pan: -100 } },
          { generators: { keyRange: range(0, 59), sampleID: 0 } },
          { generators: { keyRange: range(60, 127), pan: 100, sampleID: 1 } },
        ],
      },
      {
        name: "Reed",
        zones: [
          {
            generators: {
              ...{ sampleModes: 1, attackVolEnv: -4800, releaseVolEnv: -1200, sustainVolEnv: 30, decayVolEnv: 0 },
              ...{
                initialFilterFc: 9000,
                initialFilterQ: 60,
                modEnvToFilterFc: 1200,
                decayModEnv: -1200,
                sustainModEnv: 700,
              },
              ...{ vibLfoToPitch: 12, freqVibLFO: -600, delayVibLFO: -1200, sampleID: 2 },
            },
          },
        ],
      },
      {
        name: "Kit",
        zones: [
          { generators: { keyRange: range(35, 36), overridingRootKey: 36, sampleID: 3 } },
          { generators: { keyRange: range(42, 46), exclusiveClass: 1, overridingRootKey: 44, sampleID: 1 } },
        ],
      },
    ],
    presets: [
      { name: "Pluck", bank: 0, program: 24, zones: [{ generators: { instrument: 0 } }] },
      { name: "Reed", bank: 0, program: 65, zones: [{ generators: { instrument: 1 } }] },
      { name: "Lamp kit", bank: 128, program: 0, zones: [{ generators: { instrument: 2 } }] },
    ],
  });
