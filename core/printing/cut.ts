import type { Sink } from "../engine/render";
import type { Tail } from "../engine/tail";
import { QUIET_S, tailFloor } from "../engine/tail";
import type { Frames, Hertz } from "../units";

/**
 * Takes one file's stretch out of a pass that runs longer: from its first frame to its end, or to where its own tail
 * has stayed quiet for half a second, as if it had been rendered by itself.
 */
export class PieceCutter {
  readonly sink: Sink;
  private at: Frames;
  private readonly quiet: Frames;
  private lastLoud: Frames;
  private readonly floor: number;

  /** `around`: frames before its first and behind its last that are let through too, for a converter to hear. */
  constructor(
    passFrom: Frames,
    private readonly piece: { readonly from: Frames; readonly to: Frames },
    private readonly tail: Tail,
    rate: Hertz,
    private readonly out: Sink,
    private readonly around: { readonly before: Frames; readonly behind: Frames } = { before: 0, behind: 0 },
  ) {
    this.at = passFrom;
    this.floor = tailFloor(this.tail);
    this.quiet = Math.round(QUIET_S * rate);
    this.lastLoud = piece.to - this.quiet - 1;
    this.sink = this.take.bind(this);
  }

  /** Everything it remembers, with what that depends on. */
  save(): readonly number[] {
    return [this.at, this.lastLoud, this.piece.to, this.floor];
  }

  /**
   * Goes on where another was, whose piece may end elsewhere as long as that one had not begun to look for its end.
   * Returns whether that can be.
   */
  load([at = 0, lastLoud = 0, to = 0, floor = 0]: readonly number[]): boolean {
    const isSame = to === this.piece.to && floor === this.floor;
    const isBefore = at <= to - this.quiet && at <= this.lastLoud + 1;
    if (isSame) this.lastLoud = lastLoud;
    this.at = at;
    return isSame || isBefore;
  }

  private take(left: Float32Array, right: Float32Array, offset: number, count: Frames): void {
    const { from, to } = this.piece;
    const { before, behind } = this.around;
    const start = this.at;
    this.at += count;
    const first = Math.max(0, from - before - start);
    if (first >= count) return;
    let end = Math.min(count, to + behind - start);
    if (this.tail !== "none" && start + count > this.lastLoud + 1) {
      for (let i = Math.max(first, this.lastLoud + 1 - start, 0); i < count; i++) {
        if (start + i > this.lastLoud + this.quiet) break;
        if (Math.abs(left[offset + i] as number) > this.floor || Math.abs(right[offset + i] as number) > this.floor)
          this.lastLoud = start + i;
      }
      end = Math.min(count, Math.max(to, this.lastLoud + 1 + this.quiet) + behind - start);
    }
    if (end > first) this.out(left, right, offset + first, end - first);
  }
}
