import type { Frames } from "../core/units";
import type { Ring } from "./ring";

/** Frames over which one ring fades into another, and over which playing stops. */
export const FADE: Frames = 256;

/**
 * How another ring takes over: now; where the timeline has come to what it holds; or when the timeline comes to a
 * frame, as a loop's end.
 */
export type Takeover =
  { readonly kind: "jump" } | { readonly kind: "follow" } | { readonly kind: "loop"; readonly at: Frames };

export interface OutputEvents {
  /** Frames that should have sounded and were not there. */
  missed(frames: Frames): void;
  /** Another ring plays now. */
  tookOver(ring: number): void;
  /** Silence: playing has stopped. */
  stopped(): void;
  /** Ring `ring` was read from: its engine may go on. */
  drained(ring: number): void;
}

/**
 * Plays one of two rings, and hands over from one to the other without a gap or a jump. Runs where the sound card
 * calls.
 */
export class Output {
  private playing = false;
  private active = 0;
  private next: Takeover | null = null;
  /** Frames of the old ring still to be mixed in after a takeover; -1: no fade. */
  private fading = -1;
  private stopping = -1;
  private readonly otherLeft = new Float32Array(FADE);
  private readonly otherRight = new Float32Array(FADE);

  constructor(
    private readonly rings: readonly [Ring, Ring],
    private readonly events: OutputEvents,
  ) {}

  /** Timeline frame that sounds next. */
  get position(): Frames {
    return this.ring.position;
  }

  get isPlaying(): boolean {
    return this.playing && this.stopping < 0;
  }

  play(ring: number): void {
    this.active = ring;
    this.playing = true;
    this.next = null;
    this.fading = this.stopping = -1;
  }

  stop(): void {
    if (!this.isPlaying) return;
    this.stopping = 0;
    this.next = null;
  }

  /** The other ring is filled and takes over. */
  takeOver(how: Takeover): void {
    this.next = how;
  }

  forget(): void {
    this.next = null;
  }

  private get ring(): Ring {
    return this.rings[this.active] as Ring;
  }

  private get other(): Ring {
    return this.rings[1 - this.active] as Ring;
  }

  /** Fills a quantum of the sound card. */
  process(left: Float32Array, right: Float32Array): void {
    const frames = left.length;
    left.fill(0);
    right.fill(0);
    if (!this.playing) return;
    let done = 0;
    if (this.next && this.stopping < 0) done = this.handOver(this.next, left, right, frames);
    this.take(left, right, done, frames - done);
    if (this.fading >= 0) this.fadeOld(left, right, done, frames);
    if (this.stopping >= 0) this.fadeOut(left, right, frames);
    else {
      this.events.drained(this.active);
      if (this.next) this.events.drained(1 - this.active);
    }
  }

  /** Changes rings where it is time for it; returns the frames that the old one has still filled. */
  private handOver(how: Takeover, left: Float32Array, right: Float32Array, frames: number): number {
    let before = 0;
    if (how.kind === "follow") {
      this.other.skipTo(this.position);
      if (this.other.position !== this.position || this.other.ahead < frames + FADE) return 0;
    } else if (how.kind === "loop") {
      if (this.position + frames <= how.at) return 0;
      before = Math.max(0, how.at - this.position);
      this.take(left, right, 0, before);
    }
    this.active = 1 - this.active;
    this.next = null;
    this.fading = 0;
    this.events.tookOver(this.active);
    return before;
  }

  private take(left: Float32Array, right: Float32Array, offset: number, count: number): void {
    const got = this.ring.read(left, right, offset, count);
    if (got < count) this.events.missed(count - got);
  }

  private fadeOld(left: Float32Array, right: Float32Array, from: number, to: number): void {
    const { otherLeft, otherRight } = this;
    const n = Math.min(to - from, FADE - this.fading);
    otherLeft.fill(0);
    otherRight.fill(0);
    this.other.read(otherLeft, otherRight, 0, n);
    for (let i = 0; i < n; i++) {
      const x = (this.fading + i + 0.5) / FADE;
      const at = from + i;
      left[at] = (left[at] as number) * x + (otherLeft[i] as number) * (1 - x);
      right[at] = (right[at] as number) * x + (otherRight[i] as number) * (1 - x);
    }
    this.fading += n;
    if (this.fading >= FADE) this.fading = -1;
  }

  private fadeOut(left: Float32Array, right: Float32Array, frames: number): void {
    for (let i = 0; i < frames; i++) {
      const gain = Math.max(0, 1 - (this.stopping + i + 0.5) / FADE);
      left[i] = (left[i] as number) * gain;
      right[i] = (right[i] as number) * gain;
    }
    this.stopping += frames;
    if (this.stopping < FADE) return;
    this.playing = false;
    this.stopping = this.fading = -1;
    this.events.stopped();
  }
}
