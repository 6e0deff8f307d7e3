import { PI, TAU, besselI0, cos, exp, pow, sin, tan } from "../math";
import { randomUnit } from "../random";
import type { DeviceDeclaration, Params, PlayedNote, Processor } from "./device";
import { QUANTUM, hertzParam, percentParam, secondsParam, stepsParam, valueOf } from "./device";

const VOICES = 16;
const MAX_UNISON = 9;
/** Frames between updates of a voice's envelopes into its filter, counted from the voice's own start. */
const CONTROL = 16;
/** Half length of the decimation filter in output frames: its delay, declared as latency. */
const DECIMATE_HALF = 16;

const oversampling = (params: Params) => {
  const wanted = valueOf(params, "oversample");
  return wanted >= 4 ? 4 : wanted >= 2 ? 2 : 1;
};

/**
 * Subtractive synthesiser: up to nine detuned band-limited saws or pulses a voice, soft drive, state-variable low-pass with its own
 * envelope, run at up to four times the rate. Band-limited steps: Valimaki & Huovilainen, IEEE SPM 24(2), 2007
 * (polynomial residual). Filter: trapezoidal state-variable, V. Zavalishin, The Art of VA Filter Design, ch. 4.
 */
export const synth: DeviceDeclaration = {
  type: "synth",
  name: "Synth",
  about: "Subtractive voices with unison; oversampled, so it can be heavy",
  role: "instrument",
  params: [
    percentParam("pulse", "Saw to pulse", 0),
    stepsParam("unison", "Unison", "voices", 1, MAX_UNISON, 5),
    { id: "detune", name: "Detune", unit: "cents", min: 0, max: 60, default: 14, taper: "linear" },
    percentParam("spread", "Spread", 70),
    percentParam("sub", "Sub", 20),
    hertzParam("cutoffHz", "Cutoff", 40, 16000, 1800),
    percentParam("resonance", "Resonance", 15),
    percentParam("drive", "Drive", 20),
    { id: "sweep", name: "Sweep", unit: "%", min: -100, max: 100, default: 30, taper: "linear" },
    secondsParam("sweepS", "Sweep time", 0.01, 10, 0.8),
    secondsParam("attackS", "Attack", 0.002, 8, 0.02),
    secondsParam("decayS", "Decay", 0.01, 10, 0.6),
    percentParam("sustain", "Sustain", 70),
    secondsParam("releaseS", "Release", 0.01, 10, 0.4),
    hertzParam("vibratoHz", "Vibrato", 0.05, 12, 4.6),
    { id: "vibrato", name: "Vibrato depth", unit: "cents", min: 0, max: 100, default: 0, taper: "linear" },
    stepsParam("oversample", "Oversampling", "x", 1, 4, 2),
    percentParam("level", "Level", 60),
  ],
  linear: false,
  takesKey: false,
  latency: (params) => (oversampling(params) > 1 ? DECIMATE_HALF : 0),
  create({ rate, arena, params, seed, notes }): Processor {
    const over = oversampling(params);
    const unison = Math.round(valueOf(params, "unison"));
    const detune = valueOf(params, "detune");
    const spread = valueOf(params, "spread") / 100;
    const pulse = valueOf(params, "pulse") / 100;
    const sub = valueOf(params, "sub") / 100;
    const cutoff = valueOf(params, "cutoffHz");
    const damping = 2 - 1.9 * (valueOf(params, "resonance") / 100);
    const drive = 1 + 5 * (valueOf(params, "drive") / 100);
    const sweepOctaves = (valueOf(params, "sweep") / 100) * 5;
    const sweepFall = exp(-CONTROL / (valueOf(params, "sweepS") * rate * 0.4));
    const attackStep = 1 / (valueOf(params, "attackS") * rate);
    const decayKeep = exp(-3 / (valueOf(params, "decayS") * rate));
    const sustain = valueOf(params, "sustain") / 100;
    const releaseKeep = exp(-4.6 / (valueOf(params, "releaseS") * rate));
    const vibratoHz = valueOf(params, "vibratoHz");
    const vibrato = valueOf(params, "vibrato");
    const level = ((valueOf(params, "level") / 100) * 0.4) / Math.sqrt(unison);
    const fastRate = rate * over;

    const phase = arena.float64(VOICES * MAX_UNISON);
    const ratio = arena.float64(VOICES * MAX_UNISON);
    const step = arena.float64(MAX_UNISON);
    const panLeft = arena.float64(MAX_UNISON);
    const panRight = arena.float64(MAX_UNISON);
    for (let u = 0; u < unison; u++) {
      const where = unison === 1 ? 0 : (2 * u) / (unison - 1) - 1;
      const angle = (PI / 4) * (1 + where * spread);
      panLeft[u] = Math.SQRT2 * cos(angle);
      panRight[u] = Math.SQRT2 * sin(angle);
    }
    const hz = arena.float64(VOICES), subPhase = arena.float64(VOICES), force = arena.float64(VOICES);
    const amp = arena.float64(VOICES), bend = arena.float64(VOICES);
    /** 0 free, 1 attack, 2 decay and sustain, 3 release. */
    const stage = arena.int32(VOICES);
    const born = arena.float64(VOICES), released = arena.float64(VOICES);
    const s1l = arena.float64(VOICES), s2l = arena.float64(VOICES), s1r = arena.float64(VOICES), s2r = arena.float64(VOICES);
    const g = arena.float64(VOICES);

    const taps = over > 1 ? 2 * DECIMATE_HALF * over + 1 : 1;
    const kernel = arena.float64(taps);
    if (over > 1) designDecimator(kernel, over);
    else kernel[0] = 1;
    const keep = taps - 1;
    const fastLeft = arena.float64(keep + QUANTUM * over);
    const fastRight = arena.float64(keep + QUANTUM * over);
    let next = 0;
    let quietRun = keep + QUANTUM * over;

    const start = (note: PlayedNote, index: number) => {
      // The free voice, else the one in release longest, else the oldest.
      let voice = -1;
      for (let v = 0; v < VOICES; v++) {
        if (stage[v] === 0) { voice = v; break; }
        if (voice < 0) voice = v;
        else {
          const better = (stage[v] === 3 && stage[voice] !== 3) || (stage[v] === stage[voice] && (born[v] as number) < (born[voice] as number));
          if (better) voice = v;
        }
      }
      hz[voice] = 440 * pow(2, (note.pitch - 69) / 12);
      force[voice] = level * (0.25 + (0.75 * note.velocity) / 127);
      amp[voice] = 0;
      bend[voice] = 1;
      stage[voice] = 1;
      born[voice] = note.start;
      released[voice] = note.start + note.frames;
      subPhase[voice] = 0;
      s1l[voice] = s2l[voice] = s1r[voice] = s2r[voice] = 0;
      for (let u = 0; u < unison; u++) {
        const where = unison === 1 ? 0 : (2 * u) / (unison - 1) - 1;
        ratio[voice * MAX_UNISON + u] = pow(2, (where * detune) / 1200);
        phase[voice * MAX_UNISON + u] = unison === 1 ? 0 : randomUnit(seed, index * MAX_UNISON + u);
      }
    };

    /** Adds one voice into the oversampled buffers for frames `from` to `to` of a quantum that starts at timeline frame `at`. */
    const play = (voice: number, from: number, to: number, at: number) => {
      const base = voice * MAX_UNISON;
      let a = amp[voice] as number;
      let p2 = subPhase[voice] as number;
      let l1 = s1l[voice] as number, l2 = s2l[voice] as number, r1 = s1r[voice] as number, r2 = s2r[voice] as number;
      let coefficient = g[voice] as number;
      let subStep = 0;
      // Names of this function's own: the compiler reads what a closure captured anew in every turn of the loop.
      const phases = phase, steps = step, leftGains = panLeft, rightGains = panRight, outLeft = fastLeft, outRight = fastRight;
      const voices = unison, turns = over, driven = drive, damped = damping, pulsed = pulse > 0, subbed = sub > 0;
      const gain = force[voice] as number;
      let fresh = true;
      for (let i = from; i < to; i++) {
        const age = at + i - (born[voice] as number);
        if (fresh || age % CONTROL === 0) {
          // Steps are a pure function of the control point, so computing them again at a block edge changes nothing.
          const point = age - (age % CONTROL);
          const cents = vibrato === 0 ? 0 : vibrato * sin(TAU * fraction((vibratoHz * (point + (born[voice] as number))) / rate));
          const f = (hz[voice] as number) * (cents === 0 ? 1 : pow(2, cents / 1200));
          for (let u = 0; u < unison; u++) step[u] = Math.min(0.45, (f * (ratio[base + u] as number)) / fastRate);
          subStep = Math.min(0.45, (f * 0.5) / fastRate);
          if (age % CONTROL === 0) {
            const sweep = sweepOctaves >= 0 ? (bend[voice] as number) * sweepOctaves : (1 - (bend[voice] as number)) * -sweepOctaves;
            const corner = Math.min(cutoff * pow(2, sweep), rate * 0.45);
            coefficient = tan((PI * corner) / fastRate);
            bend[voice] = (bend[voice] as number) * sweepFall;
          }
          fresh = false;
        }
        if (stage[voice] !== 3 && at + i >= (released[voice] as number)) stage[voice] = 3;
        if (stage[voice] === 1) {
          a += attackStep;
          if (a >= 1) { a = 1; stage[voice] = 2; }
        } else if (stage[voice] === 2) a = sustain + (a - sustain) * decayKeep;
        else {
          // Aimed a little below zero, so the release ends in finite time and exactly at silence.
          a = -0.001 + (a + 0.001) * releaseKeep;
          if (a <= 0) { stage[voice] = 0; break; }
        }
        const loud = a * gain;
        const d = 1 / (1 + coefficient * (coefficient + damped));
        for (let o = 0; o < turns; o++) {
          let left = 0;
          let right = 0;
          for (let u = 0; u < voices; u++) {
            const dt = steps[u] as number;
            let p = (phases[base + u] as number) + dt;
            if (p >= 1) p -= 1;
            phases[base + u] = p;
            let y = 2 * p - 1;
            if (p < dt || p > 1 - dt) y -= blep(p, dt);
            if (pulsed) {
              const q = p >= 0.5 ? p - 0.5 : p + 0.5;
              y -= pulse * (2 * q - 1 - blep(q, dt));
            }
            left += y * (leftGains[u] as number);
            right += y * (rightGains[u] as number);
          }
          if (subbed) {
            p2 += subStep;
            if (p2 >= 1) p2 -= 1;
            const triangle = (p2 < 0.5 ? 4 * p2 - 1 : 3 - 4 * p2) * sub * 2;
            left += triangle;
            right += triangle;
          }
          left = saturate(left * loud * driven);
          right = saturate(right * loud * driven);
          const hl = (left - l1 * (coefficient + damped) - l2) * d;
          const bl = coefficient * hl + l1;
          const wl = coefficient * bl + l2;
          l1 = coefficient * hl + bl;
          l2 = coefficient * bl + wl;
          const hr = (right - r1 * (coefficient + damped) - r2) * d;
          const br = coefficient * hr + r1;
          const wr = coefficient * br + r2;
          r1 = coefficient * hr + br;
          r2 = coefficient * br + wr;
          const k = keep + i * turns + o;
          outLeft[k] = (outLeft[k] as number) + wl;
          outRight[k] = (outRight[k] as number) + wr;
        }
      }
      amp[voice] = a;
      subPhase[voice] = p2;
      s1l[voice] = l1;
      s2l[voice] = l2;
      s1r[voice] = r1;
      s2r[voice] = r2;
      g[voice] = coefficient;
    };

    const quantum = (outLeft: Float32Array, outRight: Float32Array, offset: number, at: number) => {
      fastLeft.fill(0, keep);
      fastRight.fill(0, keep);
      let active = false;
      let from = 0;
      while (from < QUANTUM) {
        let to = QUANTUM;
        for (let note = notes[next]; note; note = notes[next]) {
          const starts = note.start - at;
          if (starts > from) {
            to = Math.min(to, starts);
            break;
          }
          start(note, next);
          next++;
        }
        for (let v = 0; v < VOICES; v++) {
          if (stage[v] === 0) continue;
          active = true;
          play(v, from, to, at);
        }
        from = to;
      }
      quietRun = active ? 0 : quietRun + QUANTUM * over;
      if (quietRun >= keep + QUANTUM * over) return;
      const h = kernel, inLeft = fastLeft, inRight = fastRight;
      for (let i = 0; i < QUANTUM; i++) {
        let left = 0;
        let right = 0;
        const end = keep + i * over;
        for (let k = 0, at = end; k < taps; k++, at--) {
          const tap = h[k] as number;
          left += tap * (inLeft[at] as number);
          right += tap * (inRight[at] as number);
        }
        outLeft[offset + i] = (outLeft[offset + i] as number) + left / drive;
        outRight[offset + i] = (outRight[offset + i] as number) + right / drive;
      }
      fastLeft.copyWithin(0, QUANTUM * over);
      fastRight.copyWithin(0, QUANTUM * over);
    };

    return {
      process(left, right, frames, at) {
        for (let from = 0; from < frames; from += QUANTUM) quantum(left, right, from, at + from);
      },
      get resting() {
        return quietRun >= keep + QUANTUM * over;
      },
    };
  },
};

const fraction = (x: number) => x - Math.floor(x);

/** Residual that rounds off the step of a naive saw over one sample on either side. */
function blep(p: number, dt: number): number {
  if (p < dt) {
    const t = p / dt;
    return t + t - t * t - 1;
  }
  if (p > 1 - dt) {
    const t = (p - 1) / dt;
    return t * t + t + t + 1;
  }
  return 0;
}

/** Odd, smooth, bounded by 1: a rational tanh, exact at 0 and flat at 3. */
function saturate(x: number): number {
  if (x >= 3) return 1;
  if (x <= -3) return -1;
  const z = x * x;
  return (x * (27 + z)) / (27 + 9 * z);
}

/** Kaiser-windowed (beta 8, 80 dB) low-pass at 0.45 of the output rate, unity at zero frequency. */
function designDecimator(kernel: Float64Array, over: number): void {
  const half = DECIMATE_HALF * over;
  const corner = 0.45 / over;
  let sum = 0;
  for (let k = 0; k < kernel.length; k++) {
    const t = k - half;
    const window = besselI0(8 * Math.sqrt(Math.max(0, 1 - (t / half) * (t / half)))) / besselI0(8);
    const value = t === 0 ? 2 * corner : sin(TAU * corner * t) / (PI * t);
    kernel[k] = value * window;
    sum += value * window;
  }
  for (let k = 0; k < kernel.length; k++) kernel[k] = (kernel[k] as number) / sum;
}
