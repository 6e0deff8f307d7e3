import { exp, pow } from "../math";
import type { PlayedNote, Processor } from "./device";
import { QUANTUM, fixed, instrument, percentParam, secondsParam, centsParam, valueOf } from "./device";
import { Playhead } from "./playhead";
import { NoteCursor } from "./voices";
import type { Floats } from "../kernels/kernels";

const VOICES = 48;
/** Frames of all sounds together that are kept read: a short sound is struck again and again. */
const KEPT_FRAMES = 1 << 20;
export const PADS = 64;
/** As many pads are seen at once. */
export const PADS_A_BANK = 16;
/** The note that strikes the first pad. */
export const FIRST_PAD_NOTE = 36;
export const LAYERS_A_PAD = 4;

/** A layer's audio as it is struck; kept in the arena where there is room. */
interface Sound {
  readonly head: Playhead;
  readonly kept: boolean;
  read: boolean;
  readonly left: Floats;
  readonly right: Floats;
}

function readWhole(sound: Sound): void {
  const { head, left, right } = sound;
  for (let at = 0; at < head.frames; at += QUANTUM) {
    const n = Math.min(QUANTUM, head.frames - at);
    head.read(at, n, left, right, at);
  }
  sound.read = true;
}

/**
 * Drum kit: four banks of sixteen pads, each of up to four layers; a strike plays every layer of its pad whose
 * velocities it lies in, from start to end.
 */
export const kit = instrument({
  type: "kit",
  name: "Kit",
  about: "Four banks of sixteen pads, up to four layers each",
  params: [
    fixed(centsParam("tuneCents", "Tune", -1200, 1200, 0)),
    secondsParam("ringS", "Ring", 0.02, 10, 10),
    percentParam("touch", "Touch", 70),
    percentParam("level", "Level", 80),
  ],
  layers: PADS * LAYERS_A_PAD,
  // The longest sound plays to its end; a ring shorter than that stops it sooner.
  tail: (params, rate) => Math.ceil(valueOf(params, "ringS") * rate * 2.6) + QUANTUM,
  cost: () => 60,
  create({ rate, arena, controls, layers, notes }): Processor {
    const { params } = controls;
    const tune = pow(2, valueOf(params, "tuneCents") / 1200);
    let room = KEPT_FRAMES;
    const sounds = layers.map((layer): Sound => {
      const head = new Playhead(layer.audio, layer.step * tune, arena);
      const kept = head.frames <= room;
      if (kept) room -= head.frames;
      return {
        head,
        kept,
        read: false,
        left: arena.apart(() => arena.float32(kept ? head.frames : 0)),
        right: arena.apart(() => arena.float32(kept ? head.frames : 0)),
      };
    });
    const cursor = new NoteCursor(notes, arena);
    const layerOf = arena.int32(VOICES).fill(-1);
    const played = arena.float64(VOICES),
      gain = arena.float64(VOICES),
      keep = arena.float64(VOICES),
      born = arena.float64(VOICES);
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
      const pad = note.pitch - FIRST_PAD_NOTE;
      const touch = valueOf(params, "touch") / 100;
      layers.forEach((layer, k) => {
        if (layer.pad !== pad || note.velocity < layer.softest || note.velocity > layer.loudest) return;
        let v = 0;
        for (let i = 0; i < VOICES; i++) {
          if ((layerOf[i] as number) < 0) {
            v = i;
            break;
          }
          if ((born[i] as number) < (born[v] as number)) v = i;
        }
        layerOf[v] = k;
        const sound = sounds[k] as Sound;
        if (sound.kept && !sound.read) readWhole(sound);
        played[v] = 0;
        born[v] = note.start;
        gain[v] = layer.gain * (valueOf(params, "level") / 100) * (1 - touch + touch * pow(note.velocity / 127, 1.6));
        const ring = valueOf(params, "ringS");
        // At its longest a sound is left as it is.
        keep[v] = ring >= 10 ? 1 : exp(-6.907755278982137 / (ring * rate));
      });
    };

    return {
      process(outLeft, outRight, frames, at) {
        for (let q = 0; q < frames; q += QUANTUM) {
          sounding = 0;
          cursor.over(QUANTUM, at + q, start, (from, to) => {
            for (let v = 0; v < VOICES; v++) {
              const k = layerOf[v] as number;
              if (k < 0) continue;
              const sound = sounds[k] as Sound;
              const { head, kept } = sound;
              // A voice that was restored goes on with a sound that has not been read here.
              if (kept && !sound.read) readWhole(sound);
              const n = Math.min(to - from, head.frames - (played[v] as number));
              if (!kept) head.read(played[v] as number, n, left, right);
              const into = kept ? 4 * (played[v] as number) : 0;
              const g = arena.kernels.addFading(
                outLeft.address + 4 * (q + from),
                outRight.address + 4 * (q + from),
                (kept ? sound.left : left).address + into,
                (kept ? sound.right : right).address + into,
                n,
                gain[v] as number,
                keep[v] as number,
              );
              gain[v] = g;
              played[v] = (played[v] as number) + n;
              if ((played[v] as number) >= head.frames || g < 1e-8) layerOf[v] = -1;
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
