import type { Frames } from "../units";

/** Where two renders of one mix meet: one computes the sums of some runs of the mix's inputs and gives them, block by block, the other takes them. */
export interface SumExchange {
  /** Runs that are computed elsewhere. */
  readonly runs: readonly number[];
  /** Takes the sum of run `run` for block number `block`; returns whether it is silent. Runs are asked for in rising order. */
  take(block: number, run: number, left: Float64Array, right: Float64Array, frames: Frames): boolean;
  /** Gives it. */
  give(block: number, run: number, left: Float64Array, right: Float64Array, frames: Frames, silent: boolean): void;
  /** The other side needs nothing more. */
  readonly over: boolean;
}
