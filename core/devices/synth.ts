import { PI, TAU, cos, exp, octaves, pow, sin, tan } from "../math";
import { randomUnit } from "../random";
import type { Params, PlayedNote, Processor } from "./device";
import {
  QUANTUM,
  centsParam,
  fixed,
  hertzParam,
  instrument,
  noteSeed,
  overQuanta,
  percentParam,
  secondsParam,
  stepsParam,
  valueOf,
} from "./device";
import { BUFFER_FLOATS, EDGE_HALF, HEADS_AT, MOST_STEPS, edgeBytes, edgeTable } from "./edges";
import { FILTER_HALF, FastBus } from "./oversample";
import type { Floats } from "../kernels/kernels";

const VOICES = 16;
const MAX_UNISON = 9;
/**
 * Frames between points of a voice's envelopes, counted from its own start; in between, everything moves in a straight
 * line.
 */
const CONTROL = 32;

/**
 * Sizes of one oscillator and of a voice's other states, as the kernels lay them out, and where things stand in them.
 */
const OSCILLATOR_WORDS = 3;
const PHASE = 0,
  LEFT = 1,
  RIGHT = 2;
const VOICE_DOUBLES = 26;
const LEVEL = 0,
  A = 2,
  P = 4,
  Q = 6,
  POST = 8;

/**
 * Cycles a step up to which a voice is driven as asked, and from which it is not: there the curve is next to straight.
 * Of the notes at twice the rate, the highest octave and a half.
 */
const FULL_DRIVE = 0.06,
  NO_DRIVE = 0.09,
  LEAST_DRIVE = 0.3;

/** At the plain rate the highest notes would fold. */
const oversampling = (params: Params) => (valueOf(params, "oversample") >= 4 ? 4 : 2);

/** Of taking voices back to the rate; shared by all that sound, of which there are a few. */
const OVERSAMPLED_COST = 3;

/**
 * Subtractive synthesiser: up to nine detuned saws or pulses a voice, soft drive with band-limited edges behind it (see
 * the kernels), state-variable low-pass with its own envelope, run at two or four times the rate. Filter: trapezoidal
 * state-variable, V. Zavalishin, The Art of VA Filter Design, ch. 4.
 */
export const synth = instrument({
  type: "synth",
  name: "Synth",
  about: "Subtractive voices with unison; oversampled, so it can be heavy",
  params: [
    percentParam("pulse", "Saw to pulse", 0),
    stepsParam("unison", "Unison", "voices", 1, MAX_UNISON, 5),
    centsParam("detune", "Detune", 0, 60, 14),
    fixed(percentParam("spread", "Spread", 70)),
    percentParam("sub", "Sub", 20),
    hertzParam("cutoffHz", "Cutoff", 40, 16000, 1800),
    percentParam("resonance", "Resonance", 15),
    percentParam("drive", "Drive", 20),
    percentParam("sweep", "Sweep", 30, 100, -100),
    secondsParam("sweepS", "Sweep time", 0.01, 10, 0.8),
    secondsParam("attackS", "Attack", 0.002, 8, 0.02),
    secondsParam("decayS", "Decay", 0.01, 10, 0.6),
    percentParam("sustain", "Sustain", 70),
    secondsParam("releaseS", "Release", 0.01, 10, 0.4),
    hertzParam("vibratoHz", "Vibrato", 0.05, 12, 4.6),
    centsParam("vibrato", "Vibrato depth", 0, 100, 0),
    stepsParam("oversample", "Oversampling", "x", 1, 4, 2),
    percentParam("level", "Level", 60),
  ],
  ringsAhead: true,
  latency: (params) => FILTER_HALF + EDGE_HALF / oversampling(params),
  // A release is silent after 1.502 times releaseS, ln(1001) / 4.6: it falls towards -0.001.
  wanders: true,
  tail: (params, rate) =>
    Math.ceil(valueOf(params, "releaseS") * rate * 1.6) + CONTROL + 2 * FILTER_HALF + EDGE_HALF + 2 * QUANTUM,
  cost(params) {
    return oversampling(params) * (6.8 + 0.3 * (params["unison"] ?? 5)) + OVERSAMPLED_COST;
  },
  // eslint-disable-next-line max-lines-per-function -- state and loop are one closure: a field costs a look-up a frame
  create({ rate, arena, controls, seed, notes, maxFrames }): Processor {
    const { params } = controls;
    const get = (id: string) => valueOf(params, id);
    const over = oversampling(params);
    const unison = Math.round(get("unison"));
    const fastRate = rate * over;
    let pulse = 0,
      sub = 0,
      cutoff = 0,
      damping = 0,
      drive = 1,
      sweepOctaves = 0,
      sweepFall = 0,
      attackStep = 0,
      decayKeep = 0,
      sustain = 0;
    let releaseKeep = 0,
      vibratoHz = 0,
      vibrato = 0,
      level = 0,
      detune = 0;
    const read = () => {
      pulse = get("pulse") / 100;
      sub = get("sub") / 100;
      cutoff = get("cutoffHz");
      damping = 2 - 1.9 * (get("resonance") / 100);
      drive = 1 + 5 * (get("drive") / 100);
      sweepOctaves = (get("sweep") / 100) * 5;
      sweepFall = exp(-CONTROL / (get("sweepS") * rate * 0.4));
      attackStep = CONTROL / (get("attackS") * rate);
      decayKeep = exp((-3 * CONTROL) / (get("decayS") * rate));
      sustain = get("sustain") / 100;
      releaseKeep = exp((-4.6 * CONTROL) / (get("releaseS") * rate));
      vibratoHz = get("vibratoHz");
      vibrato = get("vibrato");
      detune = get("detune");
      level = ((get("level") / 100) * 0.4) / Math.sqrt(unison);
    };
    read();
    /** Saw to pulse, in a straight line over the quantum that begins at a frame. */
    let pulseFrom = pulse,
      pulseStart = 0;
    const pulseAt = (frame: number) => pulseFrom + ((pulse - pulseFrom) * (frame - pulseStart)) / QUANTUM;

    const words = arena.int32(VOICES * MAX_UNISON * OSCILLATOR_WORDS);
    const floats = new Float32Array(words.buffer, words.byteOffset, words.length);
    const states = arena.float64(VOICES * VOICE_DOUBLES);
    const edgeDoubles = edgeBytes(unison) / 8;
    const edges = arena.float64(VOICES * edgeDoubles);
    const edgeWords = new Int32Array(edges.buffer, edges.byteOffset, 2 * edges.length);
    const buffers = arena.float32(VOICES * BUFFER_FLOATS);
    const table = edgeTable(arena);
    const oscillator = (voice: number, u: number) => (voice * MAX_UNISON + u) * OSCILLATOR_WORDS;
    /** Where an oscillator stands among its fellows, from -1 to 1. */
    const where = (u: number) => (unison === 1 ? 0 : (2 * u) / (unison - 1) - 1);
    const ratios = arena.float64(MAX_UNISON);
    const spreadOut = () => {
      for (let u = 0; u < unison; u++) ratios[u] = pow(2, (where(u) * detune) / 1200);
    };
    spreadOut();
    const hz = arena.float64(VOICES),
      force = arena.float64(VOICES),
      amp = arena.float64(VOICES),
      bend = arena.float64(VOICES);
    /** What a voice's level has come to at the end of its stretch. */
    const loudness = arena.float64(VOICES);
    /** How far from saw to pulse a voice has come. */
    const pulses = arena.float64(VOICES);
    /** 0 free, 1 attack, 2 decay and sustain, 3 release, 4 silent: what is late is still to come. */
    const stage = arena.int32(VOICES);
    const born = arena.float64(VOICES),
      released = arena.float64(VOICES);

    const fast = new FastBus(arena, over, maxFrames);
    let next = 0;
    arena.keeps(
      () => [next, pulse],
      (kept) => {
        [next = 0, pulse = 0] = kept;
      },
    );

    /** Drive of a voice: held back where the curve would be passed within a few steps. */
    const drivenAt = (voice: number) => {
      const cycles = (hz[voice] as number) / fastRate;
      return drive + Math.max(0, Math.min(1, (cycles - FULL_DRIVE) / (NO_DRIVE - FULL_DRIVE))) * (LEAST_DRIVE - drive);
    };

    const start = (note: PlayedNote) => {
      const own = noteSeed(seed, note);
      // The free voice, else the one in release longest, else the oldest.
      let voice = -1;
      for (let v = 0; v < VOICES; v++) {
        if (stage[v] === 0) {
          voice = v;
          break;
        }
        if (voice < 0) voice = v;
        else {
          const better =
            ((stage[v] as number) >= 3 && (stage[voice] as number) < 3) ||
            (stage[v] === stage[voice] && (born[v] as number) < (born[voice] as number));
          if (better) voice = v;
        }
      }
      hz[voice] = 440 * pow(2, (note.pitch - 69) / 12);
      force[voice] = 0.25 + (0.75 * note.velocity) / 127;
      amp[voice] = 0;
      loudness[voice] = 0;
      bend[voice] = 1;
      stage[voice] = 1;
      born[voice] = note.start;
      released[voice] = note.start + note.frames;
      for (let u = 0; u < unison; u++) {
        const o = oscillator(voice, u);
        const angle = (PI / 4) * (1 + where(u) * (get("spread") / 100));
        words[o + PHASE] = unison === 1 ? 0 : (randomUnit(own, u) - 0.5) * 4294967295;
        floats[o + LEFT] = Math.SQRT2 * cos(angle);
        floats[o + RIGHT] = Math.SQRT2 * sin(angle);
      }
      states.fill(0, voice * VOICE_DOUBLES, (voice + 1) * VOICE_DOUBLES);
      // A note that sounded before playing began is taken up in the middle of a stretch, which has no edges yet.
      const heads = 2 * voice * edgeDoubles + HEADS_AT;
      edgeWords.fill(-1, heads, heads + MOST_STEPS);
      buffers.fill(0, voice * BUFFER_FLOATS, (voice + 1) * BUFFER_FLOATS);
      pulses[voice] = pulseAt(note.start);
      states[voice * VOICE_DOUBLES + POST] = 0.5 / drivenAt(voice);
    };

    /** Aims one of the lines: at its goal after so many steps, or there already when the voice begins. */
    const aim = (index: number, goal: number, steps: number, jump: boolean) => {
      if (jump) states[index] = goal;
      states[index + 1] = (goal - (states[index] as number)) / steps;
    };

    /** Sets a voice's straight lines for the CONTROL frames from timeline frame `at` on; false when it has ended. */
    const control = (voice: number, at: number): boolean => {
      const state = voice * VOICE_DOUBLES;
      const first = at === born[voice];
      if ((stage[voice] as number) < 3 && at >= (released[voice] as number)) stage[voice] = 3;
      let a = amp[voice] as number;
      if (stage[voice] === 1) {
        a += attackStep;
        if (a >= 1) {
          a = 1;
          stage[voice] = 2;
        }
      } else if (stage[voice] === 2) a = sustain + (a - sustain) * decayKeep;
      else {
        if (stage[voice] === 4) {
          stage[voice] = 0;
          return false;
        }
        if (a <= 0) stage[voice] = 4;
        // Aimed a little below zero, so the release ends in finite time and exactly at silence.
        a = Math.max(0, -0.001 + (a + 0.001) * releaseKeep);
      }
      amp[voice] = a;
      if (!first) bend[voice] = (bend[voice] as number) * sweepFall;
      const steps = CONTROL * over;
      const sweep =
        sweepOctaves >= 0 ? (bend[voice] as number) * sweepOctaves : (1 - (bend[voice] as number)) * -sweepOctaves;
      const g = tan((PI * Math.min(cutoff * octaves(sweep), rate * 0.45)) / fastRate);
      const d = 1 / (1 + g * (g + damping));
      const driven = drivenAt(voice);
      states[state + LEVEL] = loudness[voice] as number;
      loudness[voice] = a * (force[voice] as number) * level * driven;
      aim(state + LEVEL, loudness[voice] as number, steps, false);
      aim(state + A, 2 * d - 1, steps, first);
      aim(state + P, 2 * g * d, steps, first);
      aim(state + Q, 2 * g * g * d, steps, first);
      aim(state + POST, 0.5 / driven, steps, false);
      const cents = vibrato === 0 ? 0 : vibrato * sin(TAU * fraction((vibratoHz * at) / rate));
      const cycles = ((hz[voice] as number) * (cents === 0 ? 1 : octaves(cents / 1200))) / fastRate;
      // A stretch late, as what comes is not known before it is there.
      const pulseNow = pulseAt(at);
      arena.kernels.synthLines(
        steps,
        unison,
        words.address + oscillator(voice, 0) * 4,
        ratios.address,
        cycles,
        states.address + state * 8,
        edges.address + voice * edgeDoubles * 8,
        pulses[voice] as number,
        (pulseNow - (pulses[voice] as number)) / steps,
        sub * 2,
      );
      pulses[voice] = pulseNow;
      return true;
    };

    /**
     * Adds one voice into the oversampled buffers for frames `from` to `to` of a stretch that starts at timeline frame
     * `at`.
     */
    const play = (voice: number, from: number, to: number, at: number) => {
      const { synthVoice } = arena.kernels;
      for (let i = from; i < to;) {
        const into = (at + i - (born[voice] as number)) % CONTROL;
        if (into === 0 && !control(voice, at + i)) return;
        const n = Math.min(to - i, CONTROL - into);
        const offset = (fast.keep + i * over) * 4;
        synthVoice(
          fast.left.address + offset,
          fast.right.address + offset,
          n * over,
          into * over,
          states.address + voice * VOICE_DOUBLES * 8,
          edges.address + voice * edgeDoubles * 8,
          buffers.address + voice * BUFFER_FLOATS * 4,
          table.address,
          sub * 2,
          1,
        );
        i += n;
      }
    };

    const stretch = (outLeft: Floats, outRight: Floats, offset: number, frames: number, at: number) => {
      let active = false;
      let from = 0;
      while (from < frames) {
        let to = frames;
        for (let note = notes[next]; note; note = notes[next]) {
          const starts = note.start - at;
          if (starts > from) {
            to = Math.min(to, starts);
            break;
          }
          start(note);
          next++;
        }
        for (let v = 0; v < VOICES; v++) {
          if (stage[v] === 0) continue;
          active = true;
          play(v, from, to, at);
        }
        from = to;
      }
      fast.into(outLeft, outRight, offset, frames, active);
    };

    const update = () => {
      pulseFrom = pulse;
      read();
      spreadOut();
    };
    return {
      process(left, right, frames, at) {
        overQuanta(controls, frames, at, update, (from, to) => {
          pulseStart = at + from;
          stretch(left, right, from, to - from, at + from);
        });
      },
      get resting() {
        return fast.quiet;
      },
    };
  },
});

const fraction = (x: number) => x - Math.floor(x);
