import { OnsetFinder } from "../analysis/onsets";
import type { Sink } from "../engine/render";
import { PI, sin } from "../math";
import type { Frames, Hertz, Seconds } from "../units";
import type { Course, Stretcher } from "./stretcher";

/** Fills both channels with `count` frames of audio from frame `from` on; they lie inside the audio. */
export type Read = (from: Frames, count: Frames, left: Float32Array, right: Float32Array) => void;

/** An attack that is kept: frames `source` on of the audio are heard at frame `to` of the result, `frames` of them. */
export interface Attack {
  readonly source: Frames;
  readonly to: Frames;
  readonly frames: Frames;
}

/**
 * What is kept of an attack: from a little before it is found, where it sets in below what is measured, to where a hit
 * has struck. The result goes over to it within FADE_IN, and from it to what is stretched within FADE_OUT.
 */
const BEFORE_S: Seconds = 0.004,
  AFTER_S: Seconds = 0.014,
  FADE_IN_S: Seconds = 0.003,
  FADE_OUT_S: Seconds = 0.006;
/**
 * What is stretched begins at its own pace behind an attack: the first two blocks of the stretcher (30 ms apart) then
 * have the phases of the recording, and the attack goes over into it without a dip.
 */
const LEAD_S: Seconds = 0.015;
/** Beyond this factor the stretcher scatters phases against ringing: nothing behind an attack can meet its phases. */
const SCATTERED = 2;
/** The least from one attack to the next, in the audio and in the result, as a part of what each of them takes. */
const ROOM = 1.5;
const CHUNK: Frames = 4096;

/** Frames over which the result goes over to an attack, and from one. */
export const fadeFrames = (rate: Hertz) => ({
  into: Math.max(1, Math.round(FADE_IN_S * rate)),
  out: Math.max(1, Math.round(FADE_OUT_S * rate)),
});

/**
 * The attacks of some audio that a result has room for, in order: at the places that `placeOf` gives them, each wholly
 * inside the audio and the result (`total` frames), and away from its neighbours in both.
 */
export function attacksOf(
  frames: Frames,
  total: Frames,
  rate: Hertz,
  read: Read,
  placeOf: (source: Frames) => number,
): readonly Attack[] {
  const finder = new OnsetFinder(rate);
  const left = new Float32Array(CHUNK),
    right = new Float32Array(CHUNK);
  for (let from = 0; from < frames; from += CHUNK) {
    const count = Math.min(CHUNK, frames - from);
    read(from, count, left, right);
    finder.push(left, right, 0, count);
  }
  const before = Math.round(BEFORE_S * rate);
  const length = before + Math.round(AFTER_S * rate);
  const found: Attack[] = [];
  for (const onset of finder.onsets) {
    const source = Math.max(0, onset - before);
    // What is cut off at the beginning of the audio begins the result.
    const to = onset < before ? Math.round(placeOf(onset)) - onset : Math.round(placeOf(onset)) - before;
    const last = found.at(-1);
    const clear = !last || Math.min(to - last.to, source - last.source) >= ROOM * length;
    if (clear && to >= 0 && source + length <= frames && to + length <= total)
      found.push({ source, to, frames: length });
  }
  return found;
}

/**
 * Audio mirrored at two places of it, again and again, so that nothing before the first or behind the second is heard.
 * `from` and `to` are frames of the audio, at least one apart.
 */
export function mirrored(read: Read, from: Frames, to: Frames): Read {
  const span = to - from;
  return (first, count, left, right) => {
    for (let done = 0; done < count;) {
      const at = first + done - from;
      const turn = Math.floor(at / span);
      const inside = at - turn * span;
      const n = Math.min(count - done, span - inside);
      const [l, r] = [left.subarray(done, done + n), right.subarray(done, done + n)];
      if (turn % 2 === 0) read(from + inside, n, l, r);
      else {
        read(to - inside - n, n, l, r);
        l.reverse();
        r.reverse();
      }
      done += n;
    }
  };
}

/** Puts pieces together that overlap one after the other: the end of one and the beginning of the next. */
export class Splice {
  private readonly left: Float32Array;
  private readonly right: Float32Array;
  /** Frames held back for the next piece, how many of them have been mixed, and how they fade. */
  private held: Frames = 0;
  private mixed: Frames = 0;
  private fade: "unlike" | "alike" = "alike";

  constructor(
    longest: Frames,
    private readonly sink: Sink,
  ) {
    this.left = new Float32Array(longest);
    this.right = new Float32Array(longest);
  }

  /**
   * A sink for one piece of `frames` frames that is given in any parts: its beginning fades in over what the piece
   * before held back; its last `hold` frames are held back, faded out. It is at least as long as both. `fade`: of its
   * end, whether it meets an unlike sound there (their powers add up) or the same one (they do).
   */
  piece(frames: Frames, hold: Frames, fade: "unlike" | "alike"): Sink {
    let at = 0;
    return (left, right, offset, count) => {
      for (let i = offset; i < offset + count && at < frames;) {
        const fading = this.mixed < this.held;
        const n = Math.min(offset + count - i, fading ? this.held - this.mixed : Infinity, frames - at);
        if (fading) {
          for (let k = 0; k < n; k++) {
            const gain = this.gainAt((this.mixed + k + 0.5) / this.held);
            left[i + k] = (this.left[this.mixed + k] as number) + gain * (left[i + k] as number);
            right[i + k] = (this.right[this.mixed + k] as number) + gain * (right[i + k] as number);
          }
          this.mixed += n;
          this.sink(left, right, i, n);
        } else {
          const now = Math.min(n, Math.max(0, frames - hold - at));
          if (now > 0) this.sink(left, right, i, now);
          for (let k = now; k < n; k++) {
            const place = at + k - (frames - hold);
            const part = 1 - (place + 0.5) / hold;
            const gain = fade === "alike" ? part : sin((part * PI) / 2);
            this.left[place] = gain * (left[i + k] as number);
            this.right[place] = gain * (right[i + k] as number);
          }
        }
        at += n;
        i += n;
        if (at === frames) {
          this.held = hold;
          this.mixed = 0;
          this.fade = fade;
        }
      }
    };
  }

  private gainAt(part: number): number {
    return this.fade === "alike" ? part : sin((part * PI) / 2);
  }
}

/**
 * The course of a piece of `count` frames from frame `start` of the result on, which takes `length` frames of the audio
 * from frame `from` on: at its own pace for `lead` frames, then back to the course of the whole, by a third slower or
 * twice as fast, and along that to the piece's end. Where there is no room to come back, straight to the end.
 */
function backTo(course: Course, start: Frames, from: Frames, count: Frames, length: Frames, lead: Frames): Course {
  const planned = (f: number) => course.sourceOf(start + f) - from;
  const factor = count / (planned(count) - planned(0));
  const ahead = lead - planned(lead);
  const back = Math.round(ahead > 0 ? 3 * factor * ahead : factor * -ahead);
  const met = lead + back;
  const left = length - planned(count);
  const sourceOf = (f: number) => {
    if (f < lead) return f;
    if (met >= 0.9 * count) return lead + ((f - lead) * (length - lead)) / (count - lead);
    return planned(f) + (f < met ? ahead * (1 - (f - lead) / back) : (left * (f - met)) / (count - met));
  };
  const turns = [lead, met, ...course.turns.map((t) => t - start)].filter((t) => t > 0 && t < count);
  return { frames: count, sourceOf, turns: turns.sort((a, b) => a - b) };
}

/**
 * Stretches audio whose attacks are kept: each is heard at its place, frame for frame as it was recorded, and what lies
 * between two is stretched by itself, as if nothing came before or after; so no hit is smeared, or heard before its
 * time. What sustains through a hit has new phases from there on; the hit, 9 dB louder, covers the seam.
 */
export function stretchBetween(
  frames: Frames,
  course: Course,
  attacks: readonly Attack[],
  stretcher: Stretcher,
  read: Read,
  sink: Sink,
): void {
  const fades = fadeFrames(stretcher.rate);
  const splice = new Splice(Math.max(fades.into, fades.out), sink);
  const scattered = course.frames > SCATTERED * frames;
  /** Where the next stretched piece begins, in the audio and in the result. */
  let source: Frames = 0;
  let to: Frames = 0;
  const between = (sourceEnd: Frames, end: Frames, last: boolean) => {
    const count = end - to;
    if (count <= 0) return;
    const [from, start] = [source, to];
    const length = sourceEnd - from;
    const most = Math.floor(Math.min(length, count) / 3);
    const lead = from === 0 || scattered ? 0 : Math.min(Math.round(LEAD_S * stretcher.rate), most);
    const piece = splice.piece(count, last ? 0 : fades.into, "unlike");
    const part = backTo(course, start, from, count, length, lead);
    const inside = mirrored(read, from, sourceEnd);
    stretcher.run(sourceEnd - from, part, (at, n, left, right) => inside(from + at, n, left, right), piece, {
      before: from > 0,
      behind: !last,
    });
  };
  for (const attack of attacks) {
    between(attack.source + fades.into, attack.to + fades.into, false);
    const piece = splice.piece(attack.frames, fades.out, scattered ? "unlike" : "alike");
    const left = new Float32Array(attack.frames),
      right = new Float32Array(attack.frames);
    read(attack.source, attack.frames, left, right);
    piece(left, right, 0, attack.frames);
    source = attack.source + attack.frames - fades.out;
    to = attack.to + attack.frames - fades.out;
  }
  between(frames, course.frames, true);
}
