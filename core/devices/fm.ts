import { PI, TAU, exp, pow, sin } from "../math";
import type { PlayedNote, Processor } from "./device";
import { QUANTUM, instrument, percentParam, ratioParam, secondsParam, valueOf } from "./device";
import type { Floats } from "../kernels/kernels";
import { FILTER_HALF, FastBus } from "./oversample";
import { NoteCursor, spreadGains } from "./voices";

const VOICES = 16;
const TABLE = 4096;
/** Frames between points of the envelopes, counted from a voice's own start. */
const CONTROL = 16;
/** A note whose sidebands would fold at the plain rate is made at this many times it. */
const OVER = 4;
/** Nothing that folds may come down below this. */
const CLEAN_HZ = 18000;
/** Most of the modulator's own modulation, in radians: at one and above its waveform has corners, and no bandwidth. */
const MOST_FEEDBACK = 0.9;
/** Share of the sidebands' room that feedback may take at an index of one. */
const FEEDBACK_ROOM = 0.5;

/**
 * Sidebands that matter (-86 dB) reach this many times the modulator: Carson's rule for the steepest slope of a
 * modulator with feedback, I / (1 - b), and the Airy tail of the Bessel functions beyond it. Found from the spectra of
 * sin(t + b y) for b up to 0.95 and I up to 12, and held to them by a test.
 */
export const sidebands = (index: number, feedback: number): number =>
  2 + index / (1 - feedback) + 5.2 * pow(index / pow(1 - feedback, 4), 1 / 3);

/** The index with which sidebands reach `room` times the modulator: the inverse of `sidebands`, by Newton's method. */
function indexFor(room: number, feedback: number): number {
  if (room <= 2) return 0;
  const linear = 1 / (1 - feedback);
  const tail = 5.2 * pow(linear, 4 / 3);
  let root = pow((room - 2) / linear, 1 / 3);
  for (let k = 0; k < 6; k++)
    root -= (linear * root * root * root + tail * root + 2 - room) / (3 * linear * root * root + tail);
  return root * root * root;
}

/** The feedback with which an index of one reaches `room` times the modulator. */
function feedbackFor(room: number): number {
  let low = 0,
    high = MOST_FEEDBACK;
  if (sidebands(1, 0) >= room) return 0;
  for (let k = 0; k < 20; k++) {
    const middle = (low + high) / 2;
    if (sidebands(1, middle) > room) high = middle;
    else low = middle;
  }
  return low;
}

/**
 * Frequency modulation with two operators and feedback on the modulator. J. Chowning, JAES 21(7), 1973. The index falls
 * with its own envelope, so a note is bright when struck and clears as it rings. A note with too many sidebands for the
 * plain rate is made at four times it; index and feedback are held back where even that has no room for them.
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
  ringsAhead: true,
  latency: () => FILTER_HALF,
  tail: (params, rate) =>
    Math.ceil(valueOf(params, "releaseS") * rate * 1.6) + 2 * CONTROL + 2 * FILTER_HALF + 2 * QUANTUM,
  cost: () => 30,
  // eslint-disable-next-line max-lines-per-function -- state and loop are one closure: a field costs a look-up a frame
  create({ rate, arena, controls, notes, maxFrames }): Processor {
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
    const cursor = new NoteCursor(notes, arena);
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
    /** What index and feedback may be, in radians, at the rate a voice is made at. */
    const mostIndex = arena.float64(VOICES),
      feedback = arena.float64(VOICES);
    /** The room that a voice's most feedback was found for: found once, as long as the ratio rests. */
    const rooms = arena.float64(VOICES),
      mostFeedback = arena.float64(VOICES);
    const overs = arena.int32(VOICES);
    const left = arena.float64(VOICES),
      right = arena.float64(VOICES);
    /** 0 free, 1 attack, 2 decay and sustain, 3 release. */
    const stage = arena.int32(VOICES);
    const fast = new FastBus(arena, OVER, maxFrames);
    /** Voices made at the plain rate, held back as long as the others. */
    const plainLeft = arena.float32(FILTER_HALF + maxFrames),
      plainRight = arena.float32(FILTER_HALF + maxFrames);
    /** Frames since a plain voice was added last. */
    let plainQuiet = FILTER_HALF;
    let sounding = false;
    arena.keeps(
      () => [plainQuiet, Number(sounding)],
      ([quiet = 0, sounds]) => {
        plainQuiet = quiet;
        sounding = sounds === 1;
      },
    );

    /** Sets how far a voice's index and feedback may go at a rate; whether what is asked for now fits. */
    const hold = (v: number, over: number): boolean => {
      const room = ((rate * over - CLEAN_HZ) / (hz[v] as number) - 1) / get("ratio");
      const asked = (get("feedback") / 100) * (PI / 2);
      if (room !== rooms[v]) mostFeedback[v] = feedbackFor(room * FEEDBACK_ROOM);
      rooms[v] = room;
      const most = mostFeedback[v] as number;
      overs[v] = over;
      feedback[v] = Math.min(asked, most);
      mostIndex[v] = indexFor(room, feedback[v] as number);
      const brightest = get("index") * (0.4 + 0.6 * (force[v] as number));
      return Math.min(asked, MOST_FEEDBACK) <= most && brightest <= (mostIndex[v] as number);
    };

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
      // What moves may come to need the room later.
      if (controls.moving || !hold(v, 1)) hold(v, OVER);
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
      if (controls.moving) hold(v, overs[v] as number);
      const keep = get("keep") / 100;
      const wanted = Math.min(
        mostIndex[v] as number,
        get("index") * (0.4 + 0.6 * (force[v] as number)) * (keep + (1 - keep) * (bright[v] as number)),
      );
      bright[v] = (bright[v] as number) * exp((-3 * CONTROL) / (get("indexS") * rate));
      // A new note starts at its index; only its level rises from nothing.
      if (at === born[v]) index[v] = wanted;
      ampStep[v] = (a * (force[v] as number) * (get("level") / 100) * 0.35 - (amp[v] as number)) / CONTROL;
      indexStep[v] = (wanted - (index[v] as number)) / CONTROL;
      return true;
    };

    /** Adds a voice to two channels at its own rate, for frames `from` to `to` of a block that starts at frame `at`. */
    const play = (
      v: number,
      outLeft: Floats,
      outRight: Floats,
      place: number,
      from: number,
      to: number,
      at: number,
    ) => {
      const over = overs[v] as number;
      const turn = (hz[v] as number) / (rate * over);
      const modTurn = turn * get("ratio");
      const back = (feedback[v] as number) / TAU;
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
        const aStep = (ampStep[v] as number) / over,
          xStep = (indexStep[v] as number) / over;
        for (let k = place + i * over; k < place + (i + 1) * over; k++) {
          a += aStep;
          x += xStep;
          m += modTurn;
          if (m >= 1) m -= Math.floor(m);
          c += turn;
          if (c >= 1) c -= Math.floor(c);
          y = wave(m + back * y);
          const out = a * wave(c + (x * y) / TAU);
          outLeft[k] = (outLeft[k] as number) + out * l;
          outRight[k] = (outRight[k] as number) + out * r;
        }
      }
      amp[v] = a;
      index[v] = x;
      carrier[v] = c;
      modulator[v] = m;
      fed[v] = y;
    };
    /** Puts the plain voices' frames, late as the others, into two channels and makes room for the next. */
    const fromPlain = (outLeft: Floats, outRight: Floats, offset: number, active: boolean) => {
      const done = !active && plainQuiet >= FILTER_HALF;
      plainQuiet = active ? 0 : plainQuiet + QUANTUM;
      if (done) return;
      for (let i = 0; i < QUANTUM; i++) {
        outLeft[offset + i] = (outLeft[offset + i] as number) + (plainLeft[i] as number);
        outRight[offset + i] = (outRight[offset + i] as number) + (plainRight[i] as number);
      }
      for (const side of [plainLeft, plainRight]) {
        side.copyWithin(0, QUANTUM, QUANTUM + FILTER_HALF);
        side.fill(0, FILTER_HALF, FILTER_HALF + QUANTUM);
      }
    };

    return {
      process(outLeft, outRight, frames, at) {
        for (let q = 0; q < frames; q += QUANTUM) {
          if (controls.moving) controls.to(at + q + QUANTUM);
          let plain = false,
            folding = false;
          cursor.over(QUANTUM, at + q, start, (from, to) => {
            for (let v = 0; v < VOICES; v++) {
              if (stage[v] === 0) continue;
              if (overs[v] === 1) {
                plain = true;
                play(v, plainLeft, plainRight, FILTER_HALF, from, to, at + q);
              } else {
                folding = true;
                play(v, fast.left, fast.right, fast.keep, from, to, at + q);
              }
            }
          });
          fromPlain(outLeft, outRight, q, plain);
          fast.into(outLeft, outRight, q, QUANTUM, folding);
          sounding = plain || folding;
        }
      },
      get resting() {
        return !sounding && plainQuiet >= FILTER_HALF && fast.quiet;
      },
    };
  },
});
