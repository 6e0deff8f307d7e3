import { TAU, exp, pow, sin } from "../math";
import type { PlayedNote, Processor } from "./device";
import { QUANTUM, instrument, percentParam, ratioParam, secondsParam, valueOf } from "./device";
import { NoteCursor, spreadGains } from "./voices";
import type { Floats } from "../kernels/kernels";

const VOICES = 16;
const TABLE = 4096;
/** Frames between points of the envelopes, counted from a voice's own start. */
const CONTROL = 16;

/**
 * Frequency modulation with two operators and feedback on the modulator. J. Chowning, JAES 21(7), 1973. The index falls
 * with its own envelope, so a note is bright when struck and clears as it rings; it is held back on high notes, where
 * sidebands would fold.
 */
export const fm = instrument({
  type: "fm",
  name: "FM",
  about: "Two operators: bells, reeds and electric keys",
  params: [
    ratioParam("ratio", "Ratio", "", 0.25, 16, 3.5),
    { id: "index", name: "Index", unit: "", min: 0, max: 12, default: 3, taper: "linear", fixed: false },
    secondsParam("indexS", "Index falls in", 0.01, 10, 0.7),
    percentParam("keep", "Index kept", 15),
    percentParam("feedback", "Feedback", 0),
    secondsParam("attackS", "Attack", 0.002, 4, 0.004),
    secondsParam("decayS", "Decay", 0.02, 12, 2),
    percentParam("sustain", "Sustain", 0),
    secondsParam("releaseS", "Release", 0.01, 8, 0.4),
    percentParam("spread", "Spread", 40),
    percentParam("level", "Level", 65),
  ],
  tail: (params, rate) => Math.ceil(valueOf(params, "releaseS") * rate * 1.6) + 2 * CONTROL + QUANTUM,
  cost: () => 30,
  create({ rate, arena, controls, notes }): Processor {
    const { params } = controls;
    const get = (id: string) => valueOf(params, id);
    const table = arena.float64(TABLE + 1);
    for (let i = 0; i <= TABLE; i++) table[i] = sin((TAU * i) / TABLE);
    const wave = (cycles: number) => {
      const x = (cycles - Math.floor(cycles)) * TABLE;
      const k = Math.floor(x);
      const a = table[k] as number;
      return a + (x - k) * ((table[k + 1] as number) - a);
    };
    const cursor = new NoteCursor(notes);
    const hz = arena.float64(VOICES),
      force = arena.float64(VOICES),
      born = arena.float64(VOICES),
      released = arena.float64(VOICES);
    const carrier = arena.float64(VOICES),
      modulator = arena.float64(VOICES),
      fed = arena.float64(VOICES);
    const amp = arena.float64(VOICES),
      ampStep = arena.float64(VOICES),
      index = arena.float64(VOICES),
      indexStep = arena.float64(VOICES);
    const bright = arena.float64(VOICES),
      shapeNow = arena.float64(VOICES);
    const left = arena.float64(VOICES),
      right = arena.float64(VOICES);
    /** 0 free, 1 attack, 2 decay and sustain, 3 release. */
    const stage = arena.int32(VOICES);
    let sounding = false;

    const start = (note: PlayedNote) => {
      let v = 0;
      for (let k = 0; k < VOICES; k++) {
        if (stage[k] === 0) {
          v = k;
          break;
        }
        if ((stage[k] === 3 && stage[v] !== 3) || (stage[k] === stage[v] && (born[k] as number) < (born[v] as number)))
          v = k;
      }
      hz[v] = 440 * pow(2, (note.pitch - 69) / 12);
      force[v] = pow(note.velocity / 127, 1.4);
      born[v] = note.start;
      released[v] = note.start + note.frames;
      carrier[v] = modulator[v] = fed[v] = amp[v] = index[v] = shapeNow[v] = 0;
      bright[v] = 1;
      stage[v] = 1;
      const [l, r] = spreadGains(note.pitch, get("spread") / 100);
      left[v] = l;
      right[v] = r;
    };

    /** Sets a voice's straight lines for the next CONTROL frames; false when it has ended. */
    const control = (v: number, at: number): boolean => {
      if (stage[v] !== 3 && at >= (released[v] as number)) stage[v] = 3;
      let a = shapeNow[v] as number;
      if (stage[v] === 1) {
        a += CONTROL / (get("attackS") * rate);
        if (a >= 1) {
          a = 1;
          stage[v] = 2;
        }
      } else if (stage[v] === 2) {
        const sustain = get("sustain") / 100;
        a = sustain + (a - sustain) * exp((-4.6 * CONTROL) / (get("decayS") * rate));
      } else {
        if (a <= 0) {
          stage[v] = 0;
          return false;
        }
        a = Math.max(0, -0.001 + (a + 0.001) * exp((-4.6 * CONTROL) / (get("releaseS") * rate)));
      }
      shapeNow[v] = a;
      // Carson: the sidebands reach index + 1 times the modulator; keep them under half the rate.
      const room = Math.max(0, (0.45 * rate - (hz[v] as number)) / ((hz[v] as number) * get("ratio")) - 1);
      const keep = get("keep") / 100;
      const wanted = Math.min(
        room,
        get("index") * (0.4 + 0.6 * (force[v] as number)) * (keep + (1 - keep) * (bright[v] as number)),
      );
      bright[v] = (bright[v] as number) * exp((-3 * CONTROL) / (get("indexS") * rate));
      // A new note starts at its index; only its level rises from nothing.
      if (at === born[v]) index[v] = wanted;
      ampStep[v] = (a * (force[v] as number) * (get("level") / 100) * 0.35 - (amp[v] as number)) / CONTROL;
      indexStep[v] = (wanted - (index[v] as number)) / CONTROL;
      return true;
    };

    const play = (v: number, outLeft: Floats, outRight: Floats, from: number, to: number, at: number) => {
      const turn = (hz[v] as number) / rate;
      const ratio = get("ratio");
      const back = (get("feedback") / 100) * 0.25;
      const l = left[v] as number,
        r = right[v] as number;
      let a = amp[v] as number,
        x = index[v] as number,
        c = carrier[v] as number,
        m = modulator[v] as number,
        y = fed[v] as number;
      for (let i = from; i < to; i++) {
        if ((at + i - (born[v] as number)) % CONTROL === 0) {
          amp[v] = a;
          index[v] = x;
          if (!control(v, at + i)) return;
          x = index[v] as number;
        }
        a += ampStep[v] as number;
        x += indexStep[v] as number;
        m += turn * ratio;
        if (m >= 1) m -= Math.floor(m);
        c += turn;
        if (c >= 1) c -= Math.floor(c);
        y = wave(m + back * y);
        const out = a * wave(c + (x * y) / TAU);
        outLeft[i] = (outLeft[i] as number) + out * l;
        outRight[i] = (outRight[i] as number) + out * r;
      }
      amp[v] = a;
      index[v] = x;
      carrier[v] = c;
      modulator[v] = m;
      fed[v] = y;
    };
    return {
      process(outLeft, outRight, frames, at) {
        for (let q = 0; q < frames; q += QUANTUM) {
          if (controls.moving) controls.to(at + q + QUANTUM);
          sounding = false;
          cursor.over(QUANTUM, at + q, start, (from, to) => {
            for (let v = 0; v < VOICES; v++) {
              if (stage[v] === 0) continue;
              sounding = true;
              play(v, outLeft, outRight, q + from, q + to, at);
            }
          });
        }
      },
      get resting() {
        return !sounding;
      },
    };
  },
});
