import type { Frames } from "../units";

/** A block of a signal on its way from one thread to another. */
export interface ExchangedSignal {
  readonly left: Float32Array;
  readonly right: Float32Array;
  silent: boolean;
}

/** What a helper computes for the lead of a pass, and gives block by block. */
export interface HelperWork {
  /** Everything it computes. */
  readonly tracks: readonly string[];
  readonly given: readonly GivenTrack[];
  readonly sums: readonly GivenSum[];
}

/**
 * The sum in front of a track as far as the helper has it: of so many that flow in first. Sums have an order, so the
 * lead goes on where it ends.
 */
export interface GivenSum {
  readonly track: string;
  readonly inflows: number;
}

/** A path whose signals are given. */
export interface GivenTrack {
  readonly track: string;
  /** The signal before the fader too: for sends there, and for keys. */
  readonly body: boolean;
}

/**
 * Where the lead of a pass meets one of its helpers. The helper gives signals and says how far it heard anything; the
 * lead takes them, finds where the pass ends, and says how far it has come, so that the helper writes no frame that may
 * lie behind the end.
 */
export interface SignalExchange {
  /**
   * Helper: signals of block number `block`, in the agreed order, and the last frame with sound in its own taps so far.
   */
  give(block: number, signals: readonly ExchangedSignal[], frames: Frames, lastLoud: Frames): void;
  /** Lead: fills the same signals; returns the helper's last loud frame. */
  take(block: number, signals: readonly ExchangedSignal[], frames: Frames): Frames;
  /** Lead: the pass does not end before `frame`. */
  passed(frame: Frames): void;
  /** Lead: the pass ends at `frame`, which the helper writes up to. */
  finish(frame: Frames): void;
  /** Helper: frames that may be written, and whether that is where the pass ends. */
  readonly safe: Frames;
  readonly over: boolean;
}
