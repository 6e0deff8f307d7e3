import type { Depth } from "../../units";
import type { Frames } from "../../units";

/**
 * Facts both sides of the format share. RIFF/WAVE: Microsoft & IBM 1991; RF64: EBU Tech 3306; bext: EBU Tech 3285 v2.
 */
export const FORMAT_PCM = 1;
export const FORMAT_IEEE_FLOAT = 3;
export const FORMAT_EXTENSIBLE = 0xfffe;
/** Chunk sizes with this value are found in `ds64` instead. */
export const SIZE_IN_DS64 = 0xffffffff;
export const DS64_BYTES = 28;
export const BEXT_BYTES = 602;

export interface WavFormat {
  readonly rate: number;
  readonly channels: 1 | 2;
  readonly depth: Depth | "32";
}

/**
 * The broadcast extension's fields that are read or written here. Loudness in LUFS, LU and dBTP; null when unknown or
 * beyond what its sixteen bits hold.
 */
export interface Bext {
  readonly description: string;
  readonly originator: string;
  readonly originatorReference: string;
  /** yyyy-mm-dd and hh:mm:ss. */
  readonly originationDate: string;
  readonly originationTime: string;
  /** First frame's place on the timeline. */
  readonly timeReference: Frames;
  readonly loudness: BextLoudness | null;
}

/** Any other chunk of a file, as it stands there: `id` has four characters. */
export interface WavChunk {
  readonly id: string;
  readonly body: Uint8Array;
}

export interface BextLoudness {
  readonly integratedLufs: number | null;
  readonly rangeLu: number | null;
  readonly maxTruePeakDb: number | null;
  readonly maxMomentaryLufs: number | null;
  readonly maxShortTermLufs: number | null;
}

export const bytesPerSample = (depth: WavFormat["depth"]): number => (depth === "16" ? 2 : depth === "24" ? 3 : 4);
export const frameBytes = (format: WavFormat): number => bytesPerSample(format.depth) * format.channels;
