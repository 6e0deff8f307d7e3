import type { LevelChange } from "../core/engine/levels";
import type { Session } from "../core/session/document";
import type { Reshape } from "../core/session/clips";
import type { Frames, Hertz } from "../core/units";
import type { Offer } from "./known-checkpoints";
import type { RingMemory } from "./ring";
import type { SharedCheckpoint } from "./shared-checkpoint";
import type { Takeover } from "./output";

/** What an engine asks the audio worker for, and its answers, whose memory is shared. */
export type ToAudio =
  | {
      readonly kind: "blocks";
      readonly id: number;
      readonly asset: string;
      readonly first: number;
      readonly end: number;
    }
  | { readonly kind: "reshaped"; readonly id: number; readonly reshape: Reshape; readonly rate: Hertz };

export type FromAudio =
  | { readonly kind: "blocks"; readonly id: number; readonly blocks: readonly Uint8Array[]; readonly size: number }
  | { readonly kind: "reshaped"; readonly id: number; readonly left: Float32Array; readonly right: Float32Array }
  | { readonly kind: "failed"; readonly id: number; readonly missing: string | null; readonly what: string };

/**
 * What the page tells an engine. A start makes all that an earlier one asked for void; its ticket comes back with what
 * is said about it.
 */
export type ToEngine =
  | {
      readonly kind: "connect";
      readonly ring: RingMemory;
      readonly levels: SharedArrayBuffer;
      readonly output: MessagePort;
      readonly audio: MessagePort;
    }
  | {
      readonly kind: "start";
      readonly ticket: number;
      /** Null: the one it has, with all that was turned since. */
      readonly session: Session | null;
      /** Numbers the session, for what is said about it. */
      readonly serial: number;
      readonly soloed: readonly string[];
      readonly at: Frames;
      readonly pass: number;
      /** Where it could begin from, the latest first. */
      readonly offers: readonly Offer[];
      /** How far before the first frame it may begin to be exact; farther, a pre-roll has to do. */
      readonly reach: Frames;
    }
  /** While it rests: the session that it will most likely be started with, and null as above. */
  | { readonly kind: "prepare"; readonly session: Session | null; readonly pass: number }
  /** What has been turned; with what is soloed now, where that has changed. */
  | { readonly kind: "turn"; readonly changes: readonly LevelChange[]; readonly soloed: readonly string[] | null }
  /** Audio was missing when it should have sounded: keep further ahead. */
  | { readonly kind: "stretch" }
  /** The other engine is about to work hard: keep further ahead until that is over. */
  | { readonly kind: "brace"; readonly on: boolean }
  /** The track whose loudness is told step by step; null: none is. */
  | { readonly kind: "meter"; readonly track: string | null }
  /** The device whose hold on the signal is told in `HELD_BACK`; null: none. */
  | { readonly kind: "watch"; readonly device: string | null }
  | { readonly kind: "rest" };

/** 100 ms of a track as it leaves its fader. */
export interface LoudnessStep {
  readonly track: string;
  /** Timeline frame behind it. */
  readonly at: Frames;
  /** K-weighted mean square of both channels. */
  readonly power: number;
  /** Largest magnitude between and at the samples so far. */
  readonly truePeak: number;
}

export type FromEngine =
  /** The ring is filled; playing can begin. `exact`: with what a print has. */
  | { readonly kind: "ready"; readonly ticket: number; readonly exact: boolean }
  /** What a mix of the session with that number remembers at a place. */
  | {
      readonly kind: "checkpoint";
      readonly ticket: number;
      readonly serial: number;
      readonly checkpoint: SharedCheckpoint;
    }
  | ({ readonly kind: "loudness"; readonly ticket: number } & LoudnessStep)
  | { readonly kind: "load"; readonly ticket: number; readonly tracks: Readonly<Record<string, number>> }
  | { readonly kind: "failed"; readonly ticket: number; readonly what: string; readonly todo: string };

export type ToOutput =
  /** `clock`: one cell, the timeline frame that sounds next. */
  | {
      readonly kind: "connect";
      readonly rings: readonly [RingMemory, RingMemory];
      readonly engines: readonly [MessagePort, MessagePort];
      readonly clock: SharedArrayBuffer;
    }
  | { readonly kind: "play"; readonly ring: number }
  | { readonly kind: "stop" }
  | { readonly kind: "take over"; readonly how: Takeover }
  | { readonly kind: "forget" };

export type FromOutput =
  | { readonly kind: "took over"; readonly ring: number }
  | { readonly kind: "stopped" }
  | { readonly kind: "missed"; readonly frames: Frames };

/**
 * Levels an engine shares: loudness of the mix over the last three seconds; how far the watched device holds back, in
 * dB, lowered by the engine and raised by the page; then a peak a track, raised by the engine and lowered by
 * the page.
 */
export const LOUDNESS = 0;
export const HELD_BACK = 1;
export const FIRST_LEVEL = 2;
export const levelsMemory = (): SharedArrayBuffer => new SharedArrayBuffer((FIRST_LEVEL + 1024) * 4);
