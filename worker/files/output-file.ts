import type { Measures } from "../../core/analysis/measure";
import type { Tap } from "../../core/engine/tap";
import type { Label } from "../../core/formats/label";
import type { Bext, WavChunk, WavFormat } from "../../core/formats/wav/format";
import type { Frames, Seconds } from "../../core/units";

/** One file that a render writes while it runs. */
export interface OutputFile {
  readonly tap: Tap;
  readonly path: string;
  readonly format: WavFormat & { readonly depth: "16" | "24" | "32f"; readonly channels: 2 };
  /** Names its samples beside the session, where checkpoints are wanted: see `sampleOrder`. */
  readonly order?: string;
  readonly ditherSeed: number | null;
  readonly bext: Bext;
  /** Names and marks of other kinds, by how many channels the file turns out to have. */
  readonly chunks?: { readonly stereo: readonly WavChunk[]; readonly mono: readonly WavChunk[] };
  /** Silence in front of everything, at the file's own rate. */
  readonly leadFrames?: Frames;
  /** It ends with its own last sound. */
  readonly trims?: boolean;
  /** What it is made into when it is whole; a WAV where nothing is said. */
  readonly make?: Make;
  /** Write one channel when both turn out to be the same to the last bit. */
  readonly foldMono: boolean;
  /** The file's own stretch of a pass that runs longer; `exact`: it ends there, whatever rings. */
  readonly cut?: { readonly from: Frames; readonly to: Frames; readonly exact?: true };
  /** Half the sum of both channels, or one of them, in both. */
  readonly fold?: "mono" | "left" | "right";
  /** Made into a loop of so many frames, at the session's rate; the pass begins `lead` frames before it. */
  readonly loop?: { readonly frames: Frames; readonly lead: Frames };
}

/** Another format than WAV, and what the file says in it. */
export interface Make {
  readonly as: "aiff" | "flac" | "mp3";
  readonly label: Label;
}

/** What a file is called while it is sealed. A thread that is ended meanwhile leaves it behind. */
export const sealing = (path: string): string => `${path}.sealed`;

export interface Seal {
  readonly bytes: number;
  readonly sha256: string;
  /** At `rate`. */
  readonly frames: Frames;
  readonly rate: number;
}

/** What a finished WAV is to be made. */
export interface SealOrder {
  /** Both of its channels are the same, and one of them is wanted. */
  readonly fold: boolean;
  /** So many frames of it are kept. */
  readonly frames: Frames;
  /** What a WAV says beside its sound with the channels it ends up with. */
  readonly chunks?: readonly WavChunk[];
  readonly make?: Make;
}

/** A file that is whole but for its seal; `format` is what it will be. */
export interface RenderedFile extends Omit<WrittenFile, "bytes" | "sha256"> {
  readonly seal: SealOrder;
}

export const sealed = ({ seal: _asked, ...file }: RenderedFile, { rate, ...seal }: Seal): WrittenFile => ({
  ...file,
  ...seal,
  format: { ...file.format, rate },
});

export interface WrittenFile {
  readonly path: string;
  readonly format: WavFormat;
  readonly frames: Frames;
  readonly bytes: number;
  readonly sha256: string;
  readonly measures: Measures;
  readonly overview: Uint8Array;
  /** First frame of the timeline that was rendered, where what lies before it is an earlier file's. */
  readonly since?: Frames;
}

/** Where a pass began that went on from an earlier one, and how long it took. */
export interface PassSince {
  readonly at: Frames;
  readonly tookS: Seconds;
}

/** Of all files of a pass; null where one was rendered whole. */
export function passSince(files: readonly WrittenFile[], tookS: Seconds): PassSince | null {
  const at = Math.min(...files.map((file) => file.since ?? 0));
  return files.length > 0 && at > 0 ? { at, tookS } : null;
}
