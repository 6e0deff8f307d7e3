import type { FadeShape, TimelineLane } from "./timeline";

/** What a kind of session file has a place for. What it has not is printed, or named in the loss report. */
export interface Carries {
  readonly audio: boolean;
  readonly notes: boolean;
  /** One channel of a file of two. */
  readonly channelPicks: boolean;
  readonly clipGain: boolean;
  readonly fades: readonly FadeShape[];
  /** Two clips of a track that fade into each other; the shapes that both fades may have. */
  readonly crossfades: readonly FadeShape[];
  readonly fader: boolean;
  /** Channels of the tracks that may be panned. */
  readonly pan: readonly (1 | 2)[];
  readonly mute: boolean;
  readonly lanes: readonly TimelineLane["target"][];
  /** In what automation of faders and sends moves in straight lines. */
  readonly lanesIn: "decibels" | "gains";
  readonly sends: boolean;
  /** Groups, returns and the mix as tracks. */
  readonly routing: boolean;
  readonly devices: boolean;
  readonly tempo: boolean;
  readonly tempoRamps: boolean;
  readonly meter: boolean;
  readonly leadIn: boolean;
  readonly markers: boolean;
  readonly startTime: boolean;
}
