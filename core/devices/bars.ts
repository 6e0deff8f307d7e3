import { PI, TAU, cos, exp, pow, sin } from "../math";
import { randomUnit } from "../random";
import type { PlayedNote, Processor } from "./device";
import { instrument, noteSeed, percentParam, secondsParam, valueOf } from "./device";

const VOICES = 24;
const MODES = 5;
/** Modes the kernel runs side by side, the last one silent, and numbers a voice has: four rows of them. */
const ROW = 6;
const VOICE = 4 * ROW;
/**
 * Frequencies of a free-free bar's bending modes over the first. Fletcher & Rossing, The Physics of Musical
 * Instruments, 2.57.
 */
const BAR = [1, 2.756, 5.404, 8.933, 13.344];
/** The same for a tuned bar whose second mode is cut to the double octave. */
const TUNED = [1, 4, 9.2, 16.3, 24.2];
/** A voice ends when it has decayed by this much; what is left is below a 24-bit step. */
const ENDED_DB = 150;

/** Struck bars: five decaying modes a note as two-pole resonators, the mallet's hardness tilting them. */
export const bars = instrument({
  type: "bars",
  name: "Bars",
  about: "Struck wooden or metal bars",
  params: [
    secondsParam("decayS", "Ring", 0.1, 8, 1.4),
    percentParam("hardness", "Mallet", 45),
    percentParam("tuned", "Tuned bar", 60),
    percentParam("spread", "Spread", 40),
    percentParam("level", "Level", 70),
  ],
  // The lowest note rings longest.
  wanders: true,
  tail: (params, rate) => Math.ceil((ENDED_DB / 60) * valueOf(params, "decayS") * pow(220 / 8, 0.35) * rate),
  cost: () => 6,
  create({ rate, arena, controls, seed, notes }): Processor {
    const { params } = controls;
    const modes = arena.float64(VOICES * VOICE);
    const left = arena.float64(VOICES),
      right = arena.float64(VOICES);
    /** Frames each voice has still to sound; 0 is free. */
    const remaining = arena.float64(VOICES);
    let next = 0;
    let sounding = 0;
    arena.keeps(
      () => [next, sounding],
      (kept) => {
        [next = 0, sounding = 0] = kept;
      },
    );

    const strike = (note: PlayedNote) => {
      const own = noteSeed(seed, note);
      // A bar is struck with the settings of that moment and rings with them.
      controls.to(note.start);
      const decay = valueOf(params, "decayS");
      const hardness = valueOf(params, "hardness") / 100;
      const tuned = valueOf(params, "tuned") / 100;
      const spread = valueOf(params, "spread") / 100;
      const level = (valueOf(params, "level") / 100) * 0.5;
      let voice = 0;
      for (let v = 1; v < VOICES; v++) if ((remaining[v] as number) < (remaining[voice] as number)) voice = v;
      const hz = 440 * pow(2, (note.pitch - 69) / 12);
      const force = (note.velocity / 127) * (note.velocity / 127) * level;
      let longest = 0;
      for (let m = 0; m < MODES; m++) {
        const ratio = (BAR[m] as number) * (1 - tuned) + (TUNED[m] as number) * tuned;
        const k = voice * VOICE + m;
        const f = hz * ratio;
        const audible = f < rate * 0.45;
        // Higher modes die sooner (internal friction), and a soft mallet hardly excites them.
        const t60 = (decay * pow(220 / hz, 0.35)) / (1 + 0.9 * m);
        const radius = exp(-6.907755278982137 / (t60 * rate));
        const w = (TAU * f) / rate;
        const amplitude = audible ? force * exp(-m * (2.4 - 2.1 * hardness)) * (0.85 + 0.3 * randomUnit(own, m)) : 0;
        modes[k] = 2 * radius * cos(w);
        modes[k + ROW] = -radius * radius;
        // Started so that the first sample out is zero and the wave a decaying sine: no click at the strike.
        modes[k + 2 * ROW] = 0;
        modes[k + 3 * ROW] = (-amplitude * sin(w)) / (radius * radius);
        longest = Math.max(longest, (ENDED_DB / 60) * t60 * rate);
      }
      const angle = (PI / 4) * (1 + spread * ((note.pitch - 66) / 30 > 1 ? 1 : Math.max(-1, (note.pitch - 66) / 30)));
      left[voice] = Math.SQRT2 * cos(angle);
      right[voice] = Math.SQRT2 * sin(angle);
      remaining[voice] = Math.ceil(longest);
    };

    return {
      process(outLeft, outRight, frames, at) {
        let from = 0;
        while (from < frames) {
          let to = frames;
          for (let note = notes[next]; note; note = notes[next]) {
            const start = note.start - at;
            if (start > from) {
              to = Math.min(to, start);
              break;
            }
            strike(note);
            next++;
          }
          sounding = 0;
          for (let v = 0; v < VOICES; v++) {
            const left_ = remaining[v] as number;
            if (left_ <= 0) continue;
            const until = Math.min(to, from + left_);
            arena.kernels.resonate(
              outLeft.address + 4 * from,
              outRight.address + 4 * from,
              until - from,
              modes.address + 8 * v * VOICE,
              left[v] as number,
              right[v] as number,
            );
            remaining[v] = left_ - (until - from);
            if ((remaining[v] as number) > 0) sounding++;
          }
          from = to;
        }
      },
      get resting() {
        return sounding === 0;
      },
    };
  },
});
