import type { MeterPoint } from "../time/meter";
import type { TempoPoint } from "../time/tempo";
import type { Db, Frames, Ticks } from "../units";

/**
 * What every session file is written from and read into. Positions are whole frames at the timeline's own rate, notes
 * whole ticks; nothing is kept in seconds. It knows nothing of devices beyond their names, nor of sessions.
 */
export interface Timeline {
  readonly name: string;
  /** Of every position in frames. */
  readonly rate: number;
  /** Frame of the day at which the timeline's zero stands. */
  readonly startFrames: Frames;
  /** Of its timecode; null where it has none of its own. */
  readonly frameRate: FrameRate | null;
  /** Null: it says nothing of them. */
  readonly tempo: readonly TempoPoint[] | null;
  readonly meter: readonly MeterPoint[] | null;
  /** Ticks before bar 1. */
  readonly leadIn: Ticks;
  readonly markers: readonly TimelineMarker[];
  readonly media: readonly TimelineMedia[];
  /** In the order they are shown in. */
  readonly tracks: readonly TimelineTrack[];
}

/** Frames of a picture a second, as numbers that multiply; `isDrop`: two numbers are left out a minute. */
export interface FrameRate {
  readonly numerator: number;
  readonly denominator: number;
  readonly isDrop: boolean;
}

/** The rates that timecode counts in, by what they are called. SMPTE ST 12-1, 5. */
export const FRAME_RATES = {
  "24": { numerator: 24, denominator: 1, isDrop: false },
  "25": { numerator: 25, denominator: 1, isDrop: false },
  "29.97": { numerator: 30000, denominator: 1001, isDrop: false },
  "29.97 drop": { numerator: 30000, denominator: 1001, isDrop: true },
  "30": { numerator: 30, denominator: 1, isDrop: false },
} as const satisfies Readonly<Record<string, FrameRate>>;

export interface TimelineMarker {
  readonly name: string;
  readonly frame: Frames;
}

/** A file of audio that clips play. */
export interface TimelineMedia {
  /** By which clips name it. */
  readonly id: string;
  readonly name: string;
  /** At its own rate. */
  readonly frames: Frames;
  readonly rate: number;
  readonly channels: number;
  /** Of the whole file; null: unknown. */
  readonly sha256: string | null;
  /** Where its first frame stood when it was recorded, at its own rate. */
  readonly timeReference: Frames | null;
  /** Where it lies: beside the session file where it is relative, with `/` between folders; null: in it. */
  readonly path: string | null;
}

export type FadeShape = "linear" | "equal power" | "S" | "slow" | "quick";
export interface TimelineFade {
  readonly frames: Frames;
  readonly shape: FadeShape;
}

/**
 * A window on a file. Clips of one track lie in order and one after the other; only one that crossfades begins before
 * the last one ends, by exactly the length of both fades.
 */
export interface TimelineClip {
  readonly name: string;
  readonly media: string;
  /** The one channel that is played, from 0; null: all of them. */
  readonly channel: number | null;
  readonly start: Frames;
  readonly frames: Frames;
  /** First frame of the file that sounds, at the timeline's rate. */
  readonly offset: Frames;
  readonly gainDb: Db;
  readonly fadeIn: TimelineFade;
  readonly fadeOut: TimelineFade;
  readonly crossfade: boolean;
  /** It is there and does not sound. */
  readonly muted?: true;
}

export interface TimelineNote {
  /** From the beginning of its clip. */
  readonly tick: Ticks;
  readonly ticks: Ticks;
  readonly pitch: number;
  readonly velocity: number;
}

export interface TimelineNoteClip {
  readonly name: string;
  readonly start: Ticks;
  readonly ticks: Ticks;
  readonly notes: readonly TimelineNote[];
  /** It is there and does not sound. */
  readonly muted?: true;
}

export interface TimelinePoint {
  readonly frame: Frames;
  /** In decibels for a fader or a send; -1 to 1 for a pan; 1 or 0 for a mute. */
  readonly value: number;
  /** On the way to the next point: straight in the value's own unit. */
  readonly shape: "hold" | "linear";
}

export interface TimelineLane {
  readonly target: "fader" | "pan" | "mute" | "send";
  /** Which of the track's sends, from 0. */
  readonly send: number | null;
  readonly points: readonly TimelinePoint[];
  /** Set where the points stand for curves, which they leave by a little. */
  readonly isCurved?: true;
}

export interface TimelineSend {
  readonly to: string;
  readonly gainDb: Db;
  readonly position: "before fader" | "after fader";
}

/** A device by its name, with what is needed to make it again where it is known. */
export interface TimelineDevice {
  readonly name: string;
  readonly isInstrument: boolean;
  readonly isOn: boolean;
  readonly state: string;
}

export interface TimelineTrack {
  readonly id: string;
  readonly name: string;
  readonly kind: "audio" | "notes" | "group" | "return" | "mix";
  readonly channels: 1 | 2;
  /** The group it runs into; null: the mix, or nothing for the mix itself. */
  readonly output: string | null;
  readonly faderDb: Db;
  /** -1 left, 0 centre, 1 right. */
  readonly pan: number;
  /** Of one side of a stereo track: the pan of that, which is in the levels of its two sides; absent: none is. */
  readonly panInLevels?: number;
  readonly mute: boolean;
  readonly clips: readonly TimelineClip[];
  readonly notes: readonly TimelineNoteClip[];
  readonly sends: readonly TimelineSend[];
  readonly lanes: readonly TimelineLane[];
  readonly devices: readonly TimelineDevice[];
  /** The program of a bank that its notes ask for, counted from 0, and its wheels; absent or null: none. */
  readonly program?: {
    readonly bank: number;
    readonly program: number;
    readonly bends: readonly WheelPoint[];
    readonly wheel: readonly WheelPoint[];
    readonly device: null;
  } | null;
}

export const NO_FADE: TimelineFade = { frames: 0, shape: "linear" };

/** Of the pitch wheel, in cents, or of modulation, in percent: a value from a tick on. */
export interface WheelPoint {
  readonly tick: Ticks;
  readonly value: number;
}

/** A track on which nothing is set. */
export const plainTrack = (
  track: Pick<TimelineTrack, "id" | "name" | "kind"> & Partial<TimelineTrack>,
): TimelineTrack => ({
  channels: 2,
  output: null,
  faderDb: 0,
  pan: 0,
  mute: false,
  clips: [],
  notes: [],
  sends: [],
  lanes: [],
  devices: [],
  ...track,
});

/** A timeline on which nothing is. */
export const emptyTimeline = (name: string, rate: number): Timeline => ({
  name,
  rate,
  startFrames: 0,
  frameRate: null,
  tempo: null,
  meter: null,
  leadIn: 0,
  markers: [],
  media: [],
  tracks: [],
});
