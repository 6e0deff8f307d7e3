import { closeSync, openSync, writeSync } from "node:fs";
import { crc32 } from "node:zlib";
import { RenderCancelled } from "../../core/engine/render";
import { FileSource } from "../../server/audio/file-bytes";

/** Puts files into places that were left for them in another; `sums`: and answers with the CRC-32 of each. */
export interface PlaceMediaTask {
  readonly kind: "place media";
  readonly to: string;
  readonly sums: boolean;
  readonly pieces: readonly { readonly path: string; readonly bytes: number; readonly at: number }[];
}

/** So few that they are still in the processor's cache when they are written. */
const PIECE = 1 << 20;

/**
 * Puts files into places that were left for them in another, which is there; answers with the CRC-32 of each where
 * they are wanted. `progress` is told 0 to 1; false cancels.
 */
export function placeMedia(
  { to, pieces, sums }: PlaceMediaTask,
  progress: (part: number) => boolean,
): readonly number[] {
  const total = Math.max(
    1,
    pieces.reduce((n, p) => n + p.bytes, 0),
  );
  const buffer = new Uint8Array(PIECE);
  const target = openSync(to, "r+");
  let done = 0;
  const found: number[] = [];
  try {
    for (const { path, at } of pieces) {
      const file = new FileSource(path);
      let sum = 0;
      try {
        for (let from = 0; from < file.size; from += PIECE) {
          const part = buffer.subarray(0, Math.min(PIECE, file.size - from));
          file.read(from, part);
          if (sums) sum = crc32(part, sum);
          for (let put = 0; put < part.length;) put += writeSync(target, part, put, part.length - put, at + from + put);
          done += part.length;
          if (!progress(done / total)) throw new RenderCancelled("Writing the session file was cancelled.");
        }
      } finally {
        file.close();
      }
      if (sums) found.push(sum);
    }
    return found;
  } finally {
    closeSync(target);
  }
}
