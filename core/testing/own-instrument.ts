import type { Instrument, Zone } from "../instruments/instrument";
import { DEFAULT_MODULATORS } from "../instruments/default-modulators";
import { hashOf } from "./listen";

/** An instrument of the recordings of random sessions, with some of everything that zones have. */
export const ownInstrument: Instrument = {
  id: "own",
  name: "Own",
  origin: "",
  modulators: [[...DEFAULT_MODULATORS], []],
  zones: [
    {
      ...{ sample: hashOf(1), highKey: 54, rootKey: 50, gainDb: -9, pan: -0.4 },
      ...{ loop: "continuous", loopFrom: 5000, loopTo: 9000 },
      volume: { attackS: 0.01, decayS: 0.6, sustainDb: 9, releaseS: 0.1 },
      ...{ filter: "low", filterHz: 2400, resonanceDb: 6, resonanceTakes: true },
      sweep: { attackS: 0.05, decayS: 0.3, sustain: 0.2, releaseS: 0.1, filterCents: 2400, cents: 30 },
      vibrato: { delayS: 0.05, hz: 6, cents: 20 },
      lfo: { hz: 4, db: 3, filterCents: 300 },
    },
    {
      ...{ sample: hashOf(2), lowKey: 52, rootKey: 60, gainDb: -12, pan: 0.5, modulators: 1, touch: 1 },
      ...{ loop: "until release", loopFrom: 300, loopTo: 4321, turns: 2, turn: 0 },
      volume: { attackS: 0.002, releaseS: 0.2 },
    },
    { sample: hashOf(3), lowKey: 52, rootKey: 62, gainDb: -12, modulators: 1, turns: 2, turn: 1, exclusive: 3 },
    { sample: hashOf(2), plays: "release", gainDb: -20, from: 1000, to: 6000, modulators: 1 },
  ] satisfies readonly Zone[],
};
