import { PI, cos, sin } from "../math";
import type { Arena } from "../kernels/arena";
import type { PlayedNote } from "./device";

/** Walks a list of notes with a device's blocks. */
export class NoteCursor {
  private next = 0;

  constructor(
    private readonly notes: readonly PlayedNote[],
    arena: Arena,
  ) {
    arena.keeps(
      () => [this.next],
      ([next = 0]) => {
        this.next = next;
      },
    );
  }

  /**
   * Runs `play(from, to)` over the frames of a block that starts at timeline frame `at`, cut wherever notes start;
   * `start` is called for each note when its frame is reached, with its place in the list.
   */
  over(frames: number, at: number, start: (note: PlayedNote) => void, play: (from: number, to: number) => void): void {
    let from = 0;
    while (from < frames) {
      let to = frames;
      for (let note = this.notes[this.next]; note; note = this.notes[this.next]) {
        const starts = note.start - at;
        if (starts > from) {
          to = Math.min(to, starts);
          break;
        }
        start(note);
        this.next++;
      }
      play(from, to);
      from = to;
    }
  }
}

/** Left and right factors that lay notes from low to high across the sides; `spread` 0 to 1. */
export function spreadGains(pitch: number, spread: number): readonly [left: number, right: number] {
  const where = Math.max(-1, Math.min(1, (pitch - 66) / 30));
  const angle = (PI / 4) * (1 + spread * where);
  return [Math.SQRT2 * cos(angle), Math.SQRT2 * sin(angle)];
}

/** Index of the lowest value: a free voice where values are frames still to sound. */
export function lowest(values: Float64Array): number {
  let at = 0;
  for (let v = 1; v < values.length; v++) if ((values[v] as number) < (values[at] as number)) at = v;
  return at;
}
