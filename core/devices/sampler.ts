import { exp, pow } from "../math";
import type { PlayedNote, Processor } from "./device";
import { QUANTUM, fixed, instrument, percentParam, secondsParam, stepsParam, switchParam, valueOf } from "./device";
import { Playhead } from "./playhead";
import { NoteCursor, spreadGains } from "./voices";

const VOICES = 24;
const LAYERS = 8;

/** Plays a recording at the pitches it is asked for; layers may share the velocities out among them. */
export const sampler = instrument({
  type: "sampler",
  name: "Sampler",
  about: "A recording played at any pitch",
  params: [
    stepsParam("root", "Note of the recording", "", 0, 127, 60),
    switchParam("follow", "Follows the pitch", 1),
    secondsParam("attackS", "Attack", 0.001, 4, 0.002),
    secondsParam("releaseS", "Release", 0.01, 8, 0.3),
    percentParam("touch", "Touch", 70),
    fixed(percentParam("spread", "Spread", 20)),
    percentParam("level", "Level", 80),
  ],
  layers: LAYERS,
  tail: (params, rate) => Math.ceil(valueOf(params, "releaseS") * rate * 1.6) + 2 * QUANTUM,
  cost: () => 30,
  create({ rate, arena, controls, layers, notes }): Processor {
    const { params } = controls;
    const root = Math.round(valueOf(params, "root"));
    const follow = valueOf(params, "follow") >= 0.5;
    const stepOf = (pitch: number) => (follow ? pow(2, (pitch - root) / 12) : 1);
    /** One reading for each layer and pitch that will be played: nothing is made while playing. */
    const heads = new Map<number, Playhead>();
    const keyOf = (layer: number, pitch: number) => layer * 128 + pitch;
    for (const note of notes) {
      layers.forEach((layer, k) => {
        const key = keyOf(k, note.pitch);
        if (!heads.has(key)) heads.set(key, new Playhead(layer.audio, layer.step * stepOf(note.pitch), arena));
      });
    }
    const cursor = new NoteCursor(notes, arena);
    const head = arena.int32(VOICES).fill(-1);
    const played = arena.float64(VOICES),
      force = arena.float64(VOICES),
      amp = arena.float64(VOICES),
      released = arena.float64(VOICES),
      born = arena.float64(VOICES);
    const gainLeft = arena.float64(VOICES),
      gainRight = arena.float64(VOICES);
    const left = arena.float32(QUANTUM),
      right = arena.float32(QUANTUM);
    let sounding = 0;
    arena.keeps(
      () => [sounding],
      ([count = 0]) => {
        sounding = count;
      },
    );

    const start = (note: PlayedNote) => {
      controls.to(note.start);
      const touch = valueOf(params, "touch") / 100;
      layers.forEach((layer, k) => {
        if (note.velocity < layer.softest || note.velocity > layer.loudest) return;
        let v = 0;
        for (let i = 0; i < VOICES; i++) {
          if ((head[i] as number) < 0) {
            v = i;
            break;
          }
          if ((born[i] as number) < (born[v] as number)) v = i;
        }
        head[v] = keyOf(k, note.pitch);
        played[v] = 0;
        amp[v] = 0;
        born[v] = note.start;
        released[v] = note.start + note.frames;
        force[v] = layer.gain * (valueOf(params, "level") / 100) * (1 - touch + touch * pow(note.velocity / 127, 1.6));
        [gainLeft[v], gainRight[v]] = spreadGains(note.pitch, valueOf(params, "spread") / 100);
      });
    };

    return {
      process(outLeft, outRight, frames, at) {
        for (let q = 0; q < frames; q += QUANTUM) {
          if (controls.moving) controls.to(at + q + QUANTUM);
          const attack = 1 / (valueOf(params, "attackS") * rate);
          const release = exp(-4.6 / (valueOf(params, "releaseS") * rate));
          sounding = 0;
          cursor.over(QUANTUM, at + q, start, (from, to) => {
            for (let v = 0; v < VOICES; v++) {
              const reading = heads.get(head[v] as number);
              if (!reading) continue;
              const n = Math.min(to - from, reading.frames - (played[v] as number));
              reading.read(played[v] as number, n, left, right);
              let a = amp[v] as number;
              const off = (released[v] as number) - at - q - from;
              const l = (gainLeft[v] as number) * (force[v] as number),
                r = (gainRight[v] as number) * (force[v] as number);
              for (let i = 0; i < n; i++) {
                // Aimed a little below zero, so the release ends exactly at silence.
                a = i < off ? Math.min(1, a + attack) : Math.max(0, -0.001 + (a + 0.001) * release);
                outLeft[q + from + i] = (outLeft[q + from + i] as number) + (left[i] as number) * a * l;
                outRight[q + from + i] = (outRight[q + from + i] as number) + (right[i] as number) * a * r;
              }
              amp[v] = a;
              played[v] = (played[v] as number) + n;
              if ((played[v] as number) >= reading.frames || (a === 0 && off <= 0)) head[v] = -1;
              else sounding++;
            }
          });
        }
      },
      get resting() {
        return sounding === 0;
      },
    };
  },
});
