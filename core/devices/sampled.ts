import { plays, strikeGains } from "../instruments/choose";
import { type Instrument, wholeZone } from "../instruments/instrument";
import { randomBits } from "../random";
import type { Seconds } from "../units";
import type { PlayedNote, Processor } from "./device";
import { QUANTUM, centsParam, instrument, noteSeed, percentParam, valueOf } from "./device";
import { SampledVoices, playedZone } from "./sampled-voices";
import { NoteCursor } from "./voices";

/** Longest that anything of an instrument rings behind its notes. */
const LONGEST_RING_S: Seconds = 60;

/** Something that begins zones: a note, or its end. */
interface Strike extends PlayedNote {
  readonly note: PlayedNote;
  readonly isEnd: boolean;
}

/** Plays an instrument of recordings: zones over keys and velocities, as SoundFont 2 and SFZ describe them. */
export const sampled = instrument({
  type: "sampled",
  name: "Sampled instrument",
  about: "An instrument of your own: SoundFont or SFZ",
  params: [
    centsParam("bend", "Bend", -2400, 2400, 0),
    percentParam("wheel", "Modulation", 0),
    percentParam("expression", "Expression", 100),
    centsParam("tune", "Tune", -1200, 1200, 0),
    percentParam("level", "Level", 100),
  ],
  playsInstrument: true,
  wanders: true,
  tail: (_, rate, of) => (of ? Math.ceil(rate * ringS(of)) + 2 * QUANTUM : 0),
  cost: () => 30,
  create({ rate, arena, controls, seed, notes, instrument: loaded }): Processor {
    const { params } = controls;
    const zones = (loaded?.instrument.zones ?? []).map((zone) => wholeZone(zone));
    const played = loaded ? zones.map((zone) => playedZone(zone, loaded, rate)) : [];
    const voices = loaded ? new SampledVoices(played, loaded, rate, arena) : null;
    const hasEnds = zones.some((z) => z.plays === "release");
    const cursor = new NoteCursor(strikesOf(loaded ? notes : [], hasEnds), arena);
    const hands = () => ({
      wheel: valueOf(params, "wheel") / 100,
      expression: valueOf(params, "expression") / 100,
      bendCents: valueOf(params, "bend") + valueOf(params, "tune"),
    });

    const start = (strike: PlayedNote) => {
      if (!voices) return;
      controls.to(strike.start);
      const { note, isEnd } = strike as Strike;
      const own = randomBits(noteSeed(seed, note), note.velocity);
      const struck = { pitch: note.pitch, velocity: note.velocity, seed: own };
      const level = valueOf(params, "level") / 100;
      for (const [i, zone] of zones.entries()) {
        if ((zone.plays === "release") !== isEnd || !plays(zone, struck)) continue;
        if (zone.exclusive !== 0) voices.stop(zone.exclusive, note);
        const released = isEnd || zone.playsToEnd ? Infinity : note.start + note.frames;
        const at = { ...note, start: strike.start };
        const pan = zone.pan + voices.panOf(i, note, hands());
        const [left, right] = strikeGains(zone, struck, pan, played[i]?.isStereo ?? false);
        voices.begin(i, { note: at, released, gains: [level * left, level * right] }, hands());
      }
    };

    return {
      process(left, right, frames, at) {
        if (!voices) return;
        for (let q = 0; q < frames; q += QUANTUM) {
          if (controls.moving) controls.to(at + q + QUANTUM);
          const now = hands();
          cursor.over(QUANTUM, at + q, start, (from, to) =>
            voices.play(left, right, { from: q + from, to: q + to, at }, now, controls.moving),
          );
        }
      },
      get resting() {
        return !voices || voices.sounding === 0;
      },
    };
  },
});

/** Notes, and where zones play at the end of one, their ends, in the order in which they come. */
function strikesOf(notes: readonly PlayedNote[], withEnds: boolean): readonly Strike[] {
  const begun = notes.map((note): Strike => ({ ...note, note, isEnd: false }));
  if (!withEnds) return begun;
  const ended = notes.map((note): Strike => ({ ...note, start: note.start + note.frames, note, isEnd: true }));
  return [...begun, ...ended].sort((a, b) => a.start - b.start || Number(b.isEnd) - Number(a.isEnd));
}

/** How long an instrument rings behind a note, at most. */
function ringS({ zones, modulators }: Instrument): Seconds {
  const isStretched = modulators.some((list) => list.some((m) => m.to === "releaseCents"));
  if (isStretched || zones.some((z) => z.plays === "release")) return LONGEST_RING_S;
  return Math.min(LONGEST_RING_S, Math.max(0, ...zones.map((z) => wholeZone(z).volume.releaseS)));
}
