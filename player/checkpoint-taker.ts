import type { LiveMix } from "../core/engine/live";
import { PLAYBACK_BLOCK } from "../core/engine/render";
import type { Session } from "../core/session/document";
import type { Frames } from "../core/units";
import { checkpointPlaces } from "./checkpoint-places";
import { shareCheckpoint, type SharedCheckpoint } from "./shared-checkpoint";

/** What is heard leaves checkpoints as long as the quickest of the last few took less than this. */
const MOST_MS = 10;
const TIMED = 4;

/** Takes checkpoints of what an engine renders, at the last block before each place. */
export class CheckpointTaker {
  private next: Frames = Infinity;
  private placeAfter: (place: Frames) => Frames = () => Infinity;
  /** How long the last ones took, in milliseconds. */
  private took: readonly number[] = [];

  constructor(
    private readonly now: () => number,
    private readonly give: (checkpoint: SharedCheckpoint) => void,
  ) {}

  /** A mix of the session is about to be rendered. */
  begin(session: Session, mix: LiveMix): void {
    this.placeAfter = checkpointPlaces(session);
    this.next = this.placeAfter(Math.max(0, mix.gives - 1));
  }

  /** Before each block of the mix: takes one if this is the place, and if that is no risk for what is heard. */
  beforeBlock(mix: LiveMix, isHeard: boolean): void {
    const end = mix.gives + PLAYBACK_BLOCK;
    if (!mix.isExact || end <= this.next) return;
    while (this.next < end) this.next = this.placeAfter(this.next);
    if (isHeard && Math.min(...this.took) > MOST_MS) return;
    const checkpoint = this.take(mix);
    if (checkpoint) this.give(checkpoint);
  }

  /** What a mix remembers, for other engines too; null where it is not exact. Notes how long it takes. */
  take(mix: LiveMix): SharedCheckpoint | null {
    const began = this.now();
    const checkpoint = mix.checkpoint();
    const shared = checkpoint && shareCheckpoint(checkpoint);
    this.took = [...this.took, this.now() - began].slice(-TIMED);
    return shared;
  }
}
