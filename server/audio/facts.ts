import type { Measures } from "../../core/analysis/measure";
import { Meter } from "../../core/analysis/measure";
import { MalformedFile } from "../../core/formats/bytes/bytes";
import type { WavFormat } from "../../core/formats/wav/format";
import { WavReader } from "../../core/formats/wav/read";
import type { Frames } from "../../core/units";
import { FileSource } from "./file-bytes";

/** What is known of a stored audio file beside its bytes. */
export interface AudioFacts {
  readonly format: WavFormat;
  readonly frames: Frames;
  readonly bytes: number;
  readonly timeReference: Frames | null;
  readonly overview: Uint8Array;
  readonly measures: Measures;
}

const BLOCK: Frames = 16384;

/**
 * Reads a WAV file from end to end and measures it; lets other work run between blocks. Throws `MalformedFile`.
 */
export async function inspectWav(path: string): Promise<AudioFacts> {
  const source = new FileSource(path);
  try {
    const wav = WavReader.open(source);
    const meter = new Meter(wav.format.rate);
    const left = new Float32Array(BLOCK);
    const right = new Float32Array(BLOCK);
    for (let from = 0; from < wav.frames; from += BLOCK) {
      const n = Math.min(BLOCK, wav.frames - from);
      wav.read(from, n, left, right, 0);
      for (let i = 0; i < n; i++)
        if (!Number.isFinite((left[i] as number) + (right[i] as number)))
          throw new MalformedFile(`The sample at frame ${from + i} is not a number`);
      meter.push(left, right, 0, n);
      await new Promise(setImmediate);
    }
    const measures = meter.finish(wav.format.channels);
    return {
      format: wav.format,
      frames: wav.frames,
      bytes: source.size,
      timeReference: wav.bext?.timeReference ?? null,
      overview: meter.overview(),
      measures,
    };
  } finally {
    source.close();
  }
}
