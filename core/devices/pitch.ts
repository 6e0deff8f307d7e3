import { PI, cos, log, pow } from "../math";
import type { Frames, Hertz } from "../units";
import type { Processor } from "./device";
import { QUANTUM, effect, percentParam, stepsParam, valueOf } from "./device";
import type { Floats } from "../kernels/kernels";

/** Frames of a grain, how far apart grains begin, and how far one may be moved to join the one before. */
const GRAIN: Frames = 2048;
const HOP: Frames = GRAIN / 2;
const SEARCH: Frames = 512;
const LATENCY: Frames = GRAIN + SEARCH;
/** Past that is kept: everything a grain may reach. A power of two. */
const RING = 8192;
/** Pitch is looked for at a quarter of the rate, in this range. */
const LOWEST: Hertz = 65;
const HIGHEST: Hertz = 900;
const SCALES: readonly (readonly number[])[] = [
  [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11],
  [0, 2, 4, 5, 7, 9, 11],
  [0, 2, 3, 5, 7, 8, 10],
];

/**
 * Shifts pitch, or draws it to the notes of a scale, without changing time: overlapping grains read faster or slower,
 * each moved to where it continues the one before best (waveform similarity, Verhelst & Roelands, ICASSP 1993). Pitch
 * is found by the normalised square difference (McLeod & Wyvill, ICMC 2005). For single voices; what it does depends on
 * the signal, so shares of a sum do not add up.
 */
export const pitch = effect({
  type: "pitch",
  name: "Pitch",
  about: "Shifts a voice, or draws it to the notes of a scale",
  params: [
    { id: "semitones", name: "Shift", unit: "st", min: -12, max: 12, default: 0, taper: "linear", fixed: false },
    percentParam("correct", "Draw to scale", 0),
    stepsParam("root", "Root", "", 0, 11, 0),
    stepsParam("scale", "All, major, minor", "", 0, 2, 0),
  ],
  ringsAhead: true,
  latency: () => LATENCY,
  tail: () => 2 * LATENCY + GRAIN + QUANTUM,
  cost: () => 40,
  // eslint-disable-next-line max-lines-per-function -- state and loop are one closure: a field costs a look-up a frame
  create({ rate, arena, controls }): Processor {
    const { params } = controls;
    const root = Math.round(valueOf(params, "root"));
    const scale = SCALES[Math.round(valueOf(params, "scale"))] ?? [];
    const ringLeft = arena.float32(RING),
      ringRight = arena.float32(RING);
    const outLeft = arena.float64(RING),
      outRight = arena.float64(RING);
    const window = arena.float64(GRAIN);
    for (let i = 0; i < GRAIN; i++) window[i] = 0.5 - 0.5 * cos((2 * PI * (i + 0.5)) / GRAIN);
    const slow = arena.float64(GRAIN / 2);
    /**
     * Timeline frame after the last one taken in; the ring holds the RING before it. Counted by the timeline, so that
     * grains lie where they lie whatever latency is in front.
     */
    let taken = 0;
    let begun = false;
    /** How far the last grain was moved, and how fast it read. */
    let moved = 0;
    let ratioBefore = 1;
    let silentRun = 2 * LATENCY + GRAIN;
    arena.keeps(
      () => [taken, Number(begun), moved, ratioBefore, silentRun],
      ([end = 0, isBegun, shift = 0, ratio = 1, run = 0]) => {
        taken = end;
        begun = isBegun === 1;
        moved = shift;
        ratioBefore = ratio;
        silentRun = run;
      },
    );

    const mono = (frame: number) =>
      (ringLeft[frame & (RING - 1)] as number) + (ringRight[frame & (RING - 1)] as number);
    const between = (ring: Float32Array, position: number) => {
      const whole = Math.floor(position);
      const x = position - whole;
      const p1 = ring[whole & (RING - 1)] as number;
      if (x === 0) return p1;
      const p0 = ring[(whole - 1) & (RING - 1)] as number,
        p2 = ring[(whole + 1) & (RING - 1)] as number,
        p3 = ring[(whole + 2) & (RING - 1)] as number;
      return p1 + 0.5 * x * (p2 - p0 + x * (2 * p0 - 5 * p1 + 4 * p2 - p3 + x * (3 * (p1 - p2) + p3 - p0)));
    };

    /** Pitch around a frame in hertz, or 0 where there is none. */
    const findPitch = (centre: number): Hertz => {
      const n = slow.length;
      for (let i = 0; i < n; i++) {
        const at = centre + (i - n / 2) * 4;
        slow[i] = mono(at) + mono(at + 1) + mono(at + 2) + mono(at + 3);
      }
      const slowRate = rate / 4;
      const longest = Math.min(Math.floor(slowRate / LOWEST), n / 2);
      const shortest = Math.max(2, Math.floor(slowRate / HIGHEST));
      let before = 0,
        best = 0,
        found = 0,
        rising = false,
        last = 0;
      for (let lag = shortest; lag <= longest; lag++) {
        let product = 0,
          energy = 0;
        for (let i = 0; i + longest < n; i++) {
          const a = slow[i] as number,
            b = slow[i + lag] as number;
          product += a * b;
          energy += a * a + b * b;
        }
        const likeness = energy > 1e-9 ? (2 * product) / energy : 0;
        // A peak is where it stops rising; the first one nearly as high as the highest is the period.
        if (rising && likeness < last && last > 0.6 && last > best * 1.1) {
          best = last;
          const bend = before - 2 * last + likeness;
          found = lag - 1 + (bend < 0 ? (0.5 * (before - likeness)) / bend : 0);
        }
        rising = likeness > last;
        before = last;
        last = likeness;
      }
      return found > 0 ? slowRate / found : 0;
    };

    /** How much faster a grain has to be read. */
    const ratioAt = (centre: number): number => {
      const shift = pow(2, valueOf(params, "semitones") / 12);
      const amount = valueOf(params, "correct") / 100;
      if (amount === 0) return valueOf(params, "semitones") === 0 ? 1 : shift;
      const hz = findPitch(centre);
      if (hz === 0) return shift;
      const note = 69 + (12 * log(hz / 440)) / log(2);
      let nearest = Infinity;
      for (const step of scale) {
        const away = ((((note - root - step) % 12) + 18) % 12) - 6;
        if (Math.abs(away) < Math.abs(nearest)) nearest = away;
      }
      return shift * pow(2, (-nearest * amount) / 12);
    };

    /** Where the next grain joins best: its overlap compared with how the last grain would have gone on. */
    const join = (centre: number, ratio: number): number => {
      if (ratio === 1 && ratioBefore === 1 && moved === 0) return 0;
      const goesOn = (i: number) => mono(Math.round(centre - HOP + moved + ratioBefore * i));
      let best = 0,
        highest = -Infinity;
      const score = (shift: number) => {
        let product = 0,
          energy = 1e-12;
        for (let i = 0; i < HOP; i += 16) {
          const a = goesOn(i),
            b = mono(Math.round(centre + shift + ratio * (i - HOP)));
          product += a * b;
          energy += b * b;
        }
        return product / Math.sqrt(energy);
      };
      for (let shift = -SEARCH; shift <= SEARCH; shift += 8) {
        const s = score(shift);
        if (s > highest) {
          highest = s;
          best = shift;
        }
      }
      const around = best;
      for (let shift = Math.max(-SEARCH, around - 7); shift <= Math.min(SEARCH, around + 7); shift++) {
        const s = score(shift);
        if (s > highest) {
          highest = s;
          best = shift;
        }
      }
      return best;
    };

    /** Adds the grain whose centre is the frame LATENCY - HOP behind what was taken in last. */
    const grain = () => {
      const centre = taken - HOP - SEARCH;
      const ratio = ratioAt(centre);
      const shift = join(centre, ratio);
      for (let i = 0; i < GRAIN; i++) {
        const position = centre + shift + ratio * (i - HOP);
        const at = (centre - HOP + i) & (RING - 1);
        const w = window[i] as number;
        outLeft[at] = (outLeft[at] as number) + w * between(ringLeft, position);
        outRight[at] = (outRight[at] as number) + w * between(ringRight, position);
      }
      moved = shift;
      ratioBefore = ratio;
    };

    const quantum = (left: Floats, right: Floats, from: number) => {
      for (let i = from; i < from + QUANTUM; i++) {
        const l = left[i] as number,
          r = right[i] as number;
        silentRun = l === 0 && r === 0 ? silentRun + 1 : 0;
        ringLeft[taken & (RING - 1)] = l;
        ringRight[taken & (RING - 1)] = r;
        taken++;
        if (taken % HOP === 0 && silentRun < LATENCY + GRAIN) grain();
        const at = (taken - 1 - LATENCY) & (RING - 1);
        left[i] = outLeft[at] as number;
        right[i] = outRight[at] as number;
        outLeft[at] = 0;
        outRight[at] = 0;
      }
    };
    return {
      process(left, right, frames, at) {
        if (!begun) taken = at;
        begun = true;
        for (let from = 0; from < frames; from += QUANTUM) {
          if (controls.moving) controls.to(at + from + QUANTUM);
          quantum(left, right, from);
        }
      },
      // Grains are counted from the start, so time may not be left out.
      resting: false,
    };
  },
});
