import { PI, exp, pow, sin, cos, atan } from "../math";
import { randomBipolar } from "../random";
import type { PlayedNote, Processor } from "./device";
import { FLUSH, QUANTUM, instrument, noteSeed, percentParam, secondsParam, valueOf } from "./device";
import { NoteCursor, lowest, spreadGains } from "./voices";
import type { Floats } from "../kernels/kernels";

const VOICES = 12;
const LOWEST_HZ = 27;
/** A voice ends when it has decayed by this much. */
const ENDED_DB = 150;

/**
 * Plucked or struck string: a delay loop with a damping and a tuning filter, excited by a burst of noise that the
 * pick's place combs out. Karplus & Strong, CMJ 7(2), 1983; tuning by a first-order all-pass and decay per period after
 * Jaffe & Smith in the same issue.
 */
export const string = instrument({
  type: "string",
  name: "String",
  about: "Plucked or struck strings",
  params: [
    secondsParam("decayS", "Ring", 0.1, 12, 2.6),
    percentParam("brightness", "Brightness", 55),
    percentParam("hardness", "Pick", 60),
    percentParam("place", "Place of the pick", 18, 50, 2),
    secondsParam("muteS", "Stops in", 0.02, 4, 0.25),
    percentParam("spread", "Spread", 40),
    percentParam("level", "Level", 70),
  ],
  wanders: true,
  tail: (params, rate) =>
    Math.ceil((ENDED_DB / 60) * valueOf(params, "muteS") * rate) + Math.ceil(rate / LOWEST_HZ) + 2 * QUANTUM,
  cost: () => 5,
  // eslint-disable-next-line max-lines-per-function -- state and loop are one closure: a field costs a look-up a frame
  create({ rate, arena, controls, seed, notes }): Processor {
    const { params } = controls;
    const get = (id: string) => valueOf(params, id);
    const longest = Math.ceil(rate / LOWEST_HZ) + 4;
    const rings = arena.float64(VOICES * longest);
    const periods = arena.int32(VOICES),
      heads = arena.int32(VOICES);
    const damp = arena.float64(VOICES),
      tune = arena.float64(VOICES),
      ring = arena.float64(VOICES),
      stop = arena.float64(VOICES);
    const low = arena.float64(VOICES),
      passIn = arena.float64(VOICES),
      passOut = arena.float64(VOICES);
    const left = arena.float64(VOICES),
      right = arena.float64(VOICES),
      released = arena.float64(VOICES);
    /** Frames each voice has still to sound at most; 0 is free. */
    const remaining = arena.float64(VOICES);
    const cursor = new NoteCursor(notes, arena);
    let sounding = 0;
    arena.keeps(
      () => [sounding],
      ([count = 0]) => {
        sounding = count;
      },
    );

    const start = (note: PlayedNote) => {
      const own = noteSeed(seed, note);
      controls.to(note.start);
      const v = lowest(remaining);
      const hz = Math.max(LOWEST_HZ, 440 * pow(2, (note.pitch - 69) / 12));
      const w = (2 * PI * hz) / rate;
      const d = 0.5 * (1 - get("brightness") / 100) + 0.02;
      // Phase delay of the damping filter (1 - d) + d z^-1 at the fundamental, in frames.
      const dampDelay = atan((d * sin(w)) / (1 - d + d * cos(w))) / w;
      const loop = rate / hz - dampDelay;
      // The all-pass takes the part of a frame, kept between 0.3 and 1.3 where it is well behaved.
      const period = Math.floor(loop - 0.3);
      const part = loop - period;
      periods[v] = period;
      tune[v] = sin(((1 - part) * w) / 2) / sin(((1 + part) * w) / 2);
      damp[v] = d;
      const loss = Math.sqrt((1 - d + d * cos(w)) * (1 - d + d * cos(w)) + d * sin(w) * d * sin(w));
      ring[v] = Math.min(1, exp(-6.907755278982137 / (hz * get("decayS"))) / loss);
      stop[v] = Math.min(1, exp(-6.907755278982137 / (hz * Math.min(get("muteS"), get("decayS")))) / loss);
      const base = v * longest;
      const force = pow(note.velocity / 127, 1.5) * (get("level") / 100) * 0.9;
      // The burst: noise softened by the pick, less itself the pick's place further on.
      const soft = 1 - (0.06 + 0.94 * pow(get("hardness") / 100, 2) * (0.4 + (0.6 * note.velocity) / 127));
      let y = 0;
      for (let i = 0; i < period; i++) {
        y = y * soft + (1 - soft) * randomBipolar(own, i);
        rings[base + i] = y;
      }
      const comb = Math.max(1, Math.round((get("place") / 100) * period));
      let sum = 0,
        energy = 0;
      for (let i = period - 1; i >= comb; i--)
        rings[base + i] = (rings[base + i] as number) - (rings[base + i - comb] as number);
      for (let i = 0; i < period; i++) sum += rings[base + i] as number;
      for (let i = 0; i < period; i++) {
        rings[base + i] = (rings[base + i] as number) - sum / period;
        energy += (rings[base + i] as number) * (rings[base + i] as number);
      }
      const scale = (force * 0.35) / Math.sqrt(energy / period + 1e-12);
      for (let i = 0; i < period; i++)
        rings[base + i] = Math.max(-1.5, Math.min(1.5, (rings[base + i] as number) * scale));
      heads[v] = 0;
      low[v] = passIn[v] = passOut[v] = 0;
      released[v] = note.start + note.frames;
      remaining[v] = note.frames + Math.ceil((ENDED_DB / 60) * get("muteS") * rate);
      const [l, r] = spreadGains(note.pitch, get("spread") / 100);
      left[v] = l;
      right[v] = r;
    };

    const play = (v: number, outLeft: Floats, outRight: Floats, from: number, to: number, at: number) => {
      const base = v * longest;
      const period = periods[v] as number,
        d = damp[v] as number,
        c = tune[v] as number,
        l = left[v] as number,
        r = right[v] as number;
      let head = heads[v] as number,
        z = low[v] as number,
        x1 = passIn[v] as number,
        y1 = passOut[v] as number;
      const off = (released[v] as number) - at;
      for (let i = from; i < to; i++) {
        const x = rings[base + head] as number;
        const damped = ((1 - d) * x + d * z) * ((i < off ? ring[v] : stop[v]) as number);
        z = x;
        let y = c * damped + x1 - c * y1;
        if (Math.abs(y) < FLUSH) y = 0;
        x1 = damped;
        y1 = y;
        rings[base + head] = y;
        head = head + 1 === period ? 0 : head + 1;
        outLeft[i] = (outLeft[i] as number) + x * l;
        outRight[i] = (outRight[i] as number) + x * r;
      }
      heads[v] = head;
      low[v] = z;
      passIn[v] = x1;
      passOut[v] = y1;
    };
    return {
      process(outLeft, outRight, frames, at) {
        sounding = 0;
        cursor.over(frames, at, start, (from, to) => {
          for (let v = 0; v < VOICES; v++) {
            const left_ = remaining[v] as number;
            if (left_ <= 0) continue;
            const until = Math.min(to, from + left_);
            play(v, outLeft, outRight, from, until, at);
            remaining[v] = left_ - (until - from);
            if ((remaining[v] as number) > 0) sounding++;
          }
        });
      },
      get resting() {
        return sounding === 0;
      },
    };
  },
});
