import type { AudioReader } from "../audio/audio-reader";
import type { Modulated, Modulator, WholeZone } from "../instruments/instrument";
import { MODULATED } from "../instruments/modulated";
import { type Positions, isMoving, modulate } from "../instruments/modulation";
import { type Stretch, endOf, exitFrom, readPlaces, stretchOf } from "../instruments/reading";
import { type EnvelopeTimes, heldGain, heldSweep, releasedGain, releasedSweep, triangle } from "../instruments/shapes";
import type { Arena } from "../kernels/arena";
import type { Doubles, Floats, Ints } from "../kernels/kernels";
import { PI, dbToGain, octaves, tan } from "../math";
import type { Frames, Hertz, Seconds } from "../units";
import { FLUSH, type LoadedInstrument, type PlayedNote } from "./device";
import { PHASES, TAPS, cutoffFor, tableFor } from "./playhead";

const VOICES = 64;
/** Frames between two places at which gain, pitch and filter of a voice are set, counted from its own start. */
const CONTROL: Frames = 32;
/** Fastest reading, in frames of the recording a frame: beyond it little of a recording can be heard. */
const FASTEST = 64;
/** How soon a voice is silent that another one of its class stops at once. */
const STOPPED_S: Seconds = 0.01;
const BEFORE = TAPS / 2 - 1;

/** A zone as it is played. */
export interface PlayedZone {
  readonly zone: WholeZone;
  readonly stretch: Stretch;
  /** Frames of the recording to one of the session, at its own key. */
  readonly ratio: number;
  readonly isStereo: boolean;
  readonly modulators: readonly Modulator[];
  /** Whether any of them moves while a note sounds. */
  readonly moves: boolean;
}

export function playedZone(zone: WholeZone, loaded: LoadedInstrument, rate: Hertz): PlayedZone {
  const { audio, rate: own } = loaded.open(zone.sample);
  const modulators = loaded.instrument.modulators[zone.modulators] ?? [];
  return {
    ...{ zone, modulators, stretch: stretchOf(zone, audio.frames), ratio: own / rate },
    ...{ isStereo: audio.channels === 2, moves: modulators.some(isMoving) },
  };
}

/** What a note begins with, beside its zone. */
export interface Strike {
  readonly note: PlayedNote;
  /** Frame at which it is let go; Infinity: it plays to its end. */
  readonly released: number;
  /** Gains to each side. */
  readonly gains: readonly [left: number, right: number];
}

/** Where controllers 1 and 11 of MIDI stand, from 0 to 1, and the cents that all notes are bent by. */
export interface Hands {
  readonly wheel: number;
  readonly expression: number;
  readonly bendCents: number;
}

/** Frames `from` to `to` of a block whose first frame is `at` on the timeline. */
interface BlockStretch {
  readonly from: Frames;
  readonly to: Frames;
  readonly at: Frames;
}

/** Everything that sounds of an instrument. Voices are told apart by their number. */
export class SampledVoices {
  private readonly zoneOf: Ints;
  private readonly start: Doubles;
  private readonly released: Doubles;
  private readonly key: Doubles;
  private readonly velocity: Doubles;
  /** Place in the reading, and the one at which the loop is left. */
  private readonly place: Doubles;
  private readonly exit: Doubles;
  /** Gains of zone, key and velocity to each side. */
  private readonly side: Doubles;
  /** The gain of all else where it was set last, and what each frame adds. */
  private readonly gain: Doubles;
  private readonly rise: Doubles;
  /** Frames a frame, and the filter's two coefficients and gain. */
  private readonly set: Doubles;
  /** Of the filter, two for each side. */
  private readonly states: Doubles;
  /** Frame at which another voice of its class has stopped it; Infinity: none has. */
  private readonly stopped: Doubles;
  /** What modulators add, by voice. */
  private readonly moved: Doubles;
  private readonly sum = Object.fromEntries(MODULATED.map((to) => [to, 0])) as Record<Modulated, number>;
  /** Readers of recordings, each at its own place; made again where a voice was restored. */
  private readonly readers: (AudioReader | null)[] = Array.from({ length: VOICES }, () => null);
  private readonly tables = new Map<number, Floats>();
  private readonly near: readonly [Floats, Floats];
  private readonly read: readonly [Floats, Floats];
  /** Voices that sound. */
  sounding = 0;

  constructor(
    private readonly zones: readonly PlayedZone[],
    private readonly loaded: LoadedInstrument,
    private readonly rate: Hertz,
    private readonly arena: Arena,
  ) {
    this.zoneOf = arena.int32(VOICES).fill(-1) as Ints;
    this.stopped = arena.float64(VOICES);
    this.start = arena.float64(VOICES);
    this.released = arena.float64(VOICES);
    this.key = arena.float64(VOICES);
    this.velocity = arena.float64(VOICES);
    this.place = arena.float64(VOICES);
    this.exit = arena.float64(VOICES);
    this.side = arena.float64(2 * VOICES);
    this.gain = arena.float64(VOICES);
    this.rise = arena.float64(VOICES);
    this.set = arena.float64(4 * VOICES);
    this.states = arena.float64(4 * VOICES);
    this.moved = arena.float64(MODULATED.length * VOICES);
    arena.keeps(
      () => [this.sounding],
      ([count = 0]) => {
        this.sounding = count;
        this.readers.fill(null);
      },
    );
    const room = Math.ceil(CONTROL * FASTEST) + TAPS + 4;
    this.near = arena.apart(() => [arena.float32(room), arena.float32(room)]);
    this.read = arena.apart(() => [arena.float32(CONTROL), arena.float32(CONTROL)]);
    for (const step of [0.5, 1.1, 1.3, 1.6, 1.9, 2.2, 2.7, 3.2, 3.9, 9]) {
      const table = tableFor(step);
      const cutoff = cutoffFor(step);
      if (this.tables.has(cutoff)) continue;
      const held = arena.apart(() => arena.float32(table.length));
      held.set(table);
      this.tables.set(cutoff, held);
    }
  }

  /** Begins a voice of a zone; where all sound, the one goes that was let go first, or is the oldest. */
  begin(zone: number, { note, released, gains }: Strike, hands: Hands): void {
    const played = this.zones[zone];
    if (!played) return;
    const v = this.free(note.start);
    modulate(played.modulators, positionsOf(note.velocity, note.pitch, hands), this.sum);
    MODULATED.forEach((to, i) => (this.moved[v * MODULATED.length + i] = this.sum[to]));
    this.zoneOf[v] = zone;
    this.stopped[v] = Infinity;
    this.start[v] = note.start;
    this.released[v] = released;
    this.key[v] = note.pitch;
    this.velocity[v] = note.velocity;
    this.place[v] = Math.max(0, Math.round(played.stretch.from + this.sum.startFrames));
    this.exit[v] = Infinity;
    this.side.set(gains, 2 * v);
    this.states.fill(0, 4 * v, 4 * v + 4);
    this.readers[v] = null;
  }

  /** Ends voices whose class a new note stops, from a frame on; voices of the same note go on. */
  stop(exclusive: number, { start, pitch }: PlayedNote): void {
    for (let v = 0; v < VOICES; v++) {
      const played = this.zones[this.zoneOf[v] as number];
      if (!played || played.zone.stoppedBy !== exclusive) continue;
      if (this.start[v] === start && this.key[v] === pitch) continue;
      this.released[v] = Math.min(this.released[v] as number, start);
      if (!played.zone.stopsSlowly) this.stopped[v] = Math.min(this.stopped[v] as number, start);
    }
  }

  private free(now: Frames): number {
    let best = 0;
    let oldest = Infinity;
    for (let v = 0; v < VOICES; v++) {
      if ((this.zoneOf[v] as number) < 0) return v;
      // What was let go goes before what is held, the oldest first.
      const age = (this.released[v] as number) <= now ? (this.released[v] as number) - 1e12 : (this.start[v] as number);
      if (age < oldest) [best, oldest] = [v, age];
    }
    return best;
  }

  private end(v: number): void {
    this.zoneOf[v] = -1;
    this.readers[v]?.rest?.();
    this.readers[v] = null;
  }

  /** Where modulators move a zone's sound for a note, beside its own pan. */
  panOf(zone: number, { velocity, pitch }: PlayedNote, hands: Hands): number {
    modulate(this.zones[zone]?.modulators ?? [], positionsOf(velocity, pitch, hands), this.sum);
    return this.sum.pan;
  }

  /** Adds what sounds to a stretch of a block; `move`: hands may have moved. */
  play(outLeft: Floats, outRight: Floats, { from, to, at }: BlockStretch, hands: Hands, move: boolean): void {
    this.sounding = 0;
    for (let v = 0; v < VOICES; v++) {
      for (let i = from; i < to && (this.zoneOf[v] as number) >= 0;) {
        const into = (at + i - (this.start[v] as number)) % CONTROL;
        if (into === 0 && !this.control(v, at + i, hands, move)) break;
        const n = Math.min(to - i, CONTROL - into);
        this.add(v, outLeft, outRight, i, n, into);
        if (into + n === CONTROL) this.place[v] = (this.place[v] as number) + CONTROL * (this.set[4 * v] as number);
        i += n;
      }
      if ((this.zoneOf[v] as number) >= 0) this.sounding++;
    }
  }

  /** Sets gain, pitch and filter for the frames from `frame` on; false: it is not heard any more, and has ended. */
  private control(v: number, frame: Frames, hands: Hands, move: boolean): boolean {
    const played = this.zones[this.zoneOf[v] as number] as PlayedZone;
    const { zone, ratio } = played;
    const isPast = (this.place[v] as number) - BEFORE > endOf(played.stretch, this.exit[v] as number);
    if (isPast || (frame > (this.released[v] as number) && this.gainAt(v, zone, frame) === 0)) {
      this.end(v);
      return false;
    }
    if (move && played.moves) {
      const positions = positionsOf(this.velocity[v] as number, this.key[v] as number, hands);
      modulate(played.modulators, positions, this.sum);
      MODULATED.forEach((to, i) => (this.moved[v * MODULATED.length + i] = this.sum[to]));
    }
    const t = (frame - (this.start[v] as number)) / this.rate;
    const { vibrato, lfo, sweep } = zone;
    const height = this.sweepAt(v, zone, frame);
    const shaken = triangle(vibrato.hz * (t - vibrato.delayS));
    const waved = triangle(lfo.hz * (t - lfo.delayS));
    const cents =
      zone.keyCents * ((this.key[v] as number) - zone.rootKey) +
      zone.cents +
      this.movedOf(v, "cents") +
      shaken * (vibrato.cents + this.movedOf(v, "vibratoCents")) +
      waved * (lfo.cents + this.movedOf(v, "lfoCents")) +
      height * (sweep.cents + this.movedOf(v, "sweepCents")) +
      hands.bendCents;
    this.set[4 * v] = Math.min(FASTEST, ratio * octaves(cents / 1200));
    if ((this.released[v] as number) <= frame && this.exit[v] === Infinity)
      this.exit[v] = exitFrom(played.stretch, this.place[v] as number);
    this.gain[v] = this.gainAt(v, zone, frame);
    this.rise[v] = (this.gainAt(v, zone, frame + CONTROL) - this.gain[v]) / CONTROL;
    if (zone.filter === "off") return true;
    const turned =
      zone.filterKeyCents * ((this.key[v] as number) - 60) +
      (zone.filterVelocityCents * (this.velocity[v] as number)) / 127 +
      this.movedOf(v, "filterCents") +
      waved * (lfo.filterCents + this.movedOf(v, "lfoFilterCents")) +
      height * (sweep.filterCents + this.movedOf(v, "sweepFilterCents"));
    const hz = Math.min(0.45 * this.rate, Math.max(10, zone.filterHz * octaves(turned / 1200)));
    const resonance = Math.max(0, zone.resonanceDb + this.movedOf(v, "resonanceDb"));
    this.set[4 * v + 1] = tan((PI * hz) / this.rate);
    this.set[4 * v + 2] = resonance === 0 ? Math.SQRT2 : dbToGain(-resonance);
    this.set[4 * v + 3] = zone.resonanceTakes ? dbToGain(-resonance / 2) : 1;
    return true;
  }

  private movedOf(v: number, what: Modulated): number {
    return this.moved[v * MODULATED.length + MODULATED.indexOf(what)] as number;
  }

  /** The times of an envelope for a voice: low keys hold and fall longer, modulators stretch them. */
  private timesOf(v: number, times: WholeZone["volume"] | WholeZone["sweep"], isVolume: boolean): EnvelopeTimes {
    const down = 60 - (this.key[v] as number);
    const by = (what: Modulated) => (isVolume ? octaves(this.movedOf(v, what) / 1200) : 1);
    return {
      delayS: times.delayS,
      attackS: times.attackS * by("attackCents"),
      holdS: times.holdS * octaves((times.holdKeyCents * down) / 1200) * by("holdCents"),
      decayS: times.decayS * octaves((times.decayKeyCents * down) / 1200) * by("decayCents"),
      releaseS: times.releaseS * by("releaseCents"),
    };
  }

  /** The gain of envelope, tremolo and modulators. */
  private gainAt(v: number, zone: WholeZone, frame: Frames): number {
    const times = this.timesOf(v, zone.volume, true);
    const [start, released, stopped] = [this.start[v], this.released[v], this.stopped[v]] as [number, number, number];
    const held = (at: Frames) => heldGain(times, zone.volume.sustainDb, (at - start) / this.rate);
    const envelope =
      frame <= released ? held(frame) : releasedGain(held(released), times, (frame - released) / this.rate);
    if (envelope === 0) return 0;
    const left =
      frame > stopped ? releasedGain(1, { ...times, releaseS: STOPPED_S }, (frame - stopped) / this.rate) : 1;
    const trembling = zone.lfo.db + this.movedOf(v, "lfoDb");
    const height = trembling === 0 ? 0 : triangle(zone.lfo.hz * ((frame - start) / this.rate - zone.lfo.delayS));
    return envelope * left * dbToGain(this.movedOf(v, "gainDb") + trembling * height);
  }

  private sweepAt(v: number, zone: WholeZone, frame: Frames): number {
    const { sweep } = zone;
    if (sweep.cents === 0 && sweep.filterCents === 0) return 0;
    const times = this.timesOf(v, sweep, false);
    const [start, released] = [this.start[v] as number, this.released[v] as number];
    if (frame <= released) return heldSweep(times, sweep.sustain, (frame - start) / this.rate);
    const from = heldSweep(times, sweep.sustain, (released - start) / this.rate);
    return releasedSweep(from, times, (frame - released) / this.rate);
  }

  /** Adds `n` frames of a voice, the first of which is frame `into` behind the place of control. */
  private add(v: number, outLeft: Floats, outRight: Floats, i: Frames, n: Frames, into: Frames): void {
    const played = this.zones[this.zoneOf[v] as number] as PlayedZone;
    const { zone, isStereo } = played;
    this.readAt(v, played, n, into);
    if (zone.filter !== "off") for (let side = 0; side < (isStereo ? 2 : 1); side++) this.filter(v, zone, side, n);
    const [x, other] = this.read;
    const y = isStereo ? other : x;
    const [left, right] = [this.side[2 * v], this.side[2 * v + 1]] as [number, number];
    const [gain, rise] = [this.gain[v], this.rise[v]] as [number, number];
    for (let k = 0; k < n; k++) {
      const g = gain + rise * (into + k);
      outLeft[i + k] = (outLeft[i + k] as number) + (x[k] as number) * g * left;
      outRight[i + k] = (outRight[i + k] as number) + (y[k] as number) * g * right;
    }
  }

  /** Reads the next frames of a voice. */
  private readAt(v: number, { zone, stretch, isStereo }: PlayedZone, n: Frames, into: Frames): void {
    const step = this.set[4 * v] as number;
    const place = (this.place[v] as number) + into * step;
    const first = Math.floor(place) - BEFORE;
    const count = Math.floor(place + (n - 1) * step) + TAPS / 2 + 2 - first;
    const [left, right] = this.near;
    const audio = (this.readers[v] ??= this.loaded.open(zone.sample).audio);
    readPlaces(audio, stretch, this.exit[v] as number, first, count, left, right);
    const table = this.tables.get(cutoffFor(step)) as Floats;
    const { readBetween } = this.arena.kernels;
    readBetween(this.read[0].address, left.address, n, place - first, step, 0, table.address, PHASES);
    if (isStereo) readBetween(this.read[1].address, right.address, n, place - first, step, 0, table.address, PHASES);
  }

  /** Trapezoidal state-variable filter. V. Zavalishin, The Art of VA Filter Design, ch. 4. */
  private filter(v: number, { filter }: WholeZone, side: number, n: Frames): void {
    const x = this.read[side] as Floats;
    const { states } = this;
    const [g, k, gain] = [this.set[4 * v + 1], this.set[4 * v + 2], this.set[4 * v + 3]] as [number, number, number];
    const at = 4 * v + 2 * side;
    let [s1, s2] = [states[at] as number, states[at + 1] as number];
    const scale = 1 / (1 + g * (g + k));
    for (let i = 0; i < n; i++) {
      const high = ((x[i] as number) - (g + k) * s1 - s2) * scale;
      const band = g * high + s1;
      const low = g * band + s2;
      s1 = g * high + band;
      s2 = g * band + low;
      x[i] = gain * (filter === "low" ? low : filter === "band" ? band * k : high);
    }
    states[at] = Math.abs(s1) < FLUSH ? 0 : s1;
    states[at + 1] = Math.abs(s2) < FLUSH ? 0 : s2;
  }
}

/** Volume and pan are the track's: their controllers stand where they change nothing. */
const positionsOf = (velocity: number, key: number, { wheel, expression }: Hands): Positions => ({
  ...{ velocity: velocity / 127, key: key / 127, bend: 0.5, pressure: 0 },
  controller: (number) =>
    number === 1 ? wheel : number === 11 ? expression : number === 7 ? 1 : number === 10 ? 0.5 : 0,
});
