import type { ByteSource } from "../../core/formats/bytes/bytes";
import { FileSink } from "../../server/audio/file-bytes";

const PIECE = 1 << 20;

/** A file of a package as a file of its own. */
export function copyOut(source: ByteSource, path: string): void {
  const sink = new FileSink(path);
  const bytes = new Uint8Array(PIECE);
  for (let at = 0; at < source.size; at += PIECE) {
    const piece = bytes.subarray(0, Math.min(PIECE, source.size - at));
    source.read(at, piece);
    sink.write(piece);
  }
  sink.close();
}
