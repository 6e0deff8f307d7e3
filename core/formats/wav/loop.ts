import type { Frames } from "../../units";
import type { ByteSource } from "../bytes/bytes";
import { bytesAt, tagAt } from "../bytes/bytes";

/** Bytes of the chunk in front of its loops, and of a loop. */
const HEAD = 36,
  LOOP = 24;
const MOST_CHUNKS = 1000;

/**
 * The first loop that a WAV file holds for samplers: its first frame, and the one behind its last; null where it holds
 * none, or is no WAV. RIFF Multimedia Data Standards Update 3.0, `smpl`.
 */
export function sampleLoop(source: ByteSource): { readonly from: Frames; readonly to: Frames } | null {
  if (source.size < 12 || tagAt(bytesAt(source, 0, 4), 0) !== "RIFF") return null;
  for (let at = 12, count = 0; at + 8 <= source.size && count < MOST_CHUNKS; count++) {
    const head = bytesAt(source, at, 8);
    const bytes = new DataView(head.buffer).getUint32(4, true);
    if (tagAt(head, 0) === "smpl" && bytes >= HEAD + LOOP && at + 8 + HEAD + LOOP <= source.size) {
      const view = new DataView(bytesAt(source, at + 8, HEAD + LOOP).buffer);
      if (view.getUint32(28, true) === 0) return null;
      const [from, last] = [view.getUint32(HEAD + 8, true), view.getUint32(HEAD + 12, true)];
      return last > from ? { from, to: last + 1 } : null;
    }
    at += 8 + bytes + (bytes % 2);
  }
  return null;
}
