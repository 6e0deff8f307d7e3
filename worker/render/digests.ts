import { createHash, type Hash } from "node:crypto";
import type { ByteSource } from "../../core/formats/bytes/bytes";
import { FileSource } from "../../server/audio/file-bytes";
import type { EarlierAudio } from "./splice";

/** Bytes read at once: so few that they are still in the processor's cache when they are hashed. */
const PIECE_BYTES = 1 << 17;
/** How far apart the places are that are remembered of a file, at least, in bytes; and the most of them. */
const APART_BYTES = 2 * PIECE_BYTES;
const MOST_PLACES = 64;
/** Files that are remembered: those hashed last. A place takes half a kilobyte. */
const MOST_FILES = 128;

/** The digest of a file's first bytes. */
interface Place {
  readonly bytes: number;
  readonly hash: Hash;
}

/**
 * SHA-256 of files, many of which begin as an earlier one did. Hashing takes ten times as long as comparing, so the
 * digest of a file goes on from the last remembered place of the earlier one up to which both are the same.
 */
export class Digests {
  private readonly known = new Map<string, readonly Place[]>();
  /** Bytes hashed so far. */
  hashed = 0;
  private readonly piece = new Uint8Array(PIECE_BYTES);
  private readonly other = new Uint8Array(PIECE_BYTES);

  /** Hexadecimal. `earlier`: what the file may begin as. Throws what reading the file throws. */
  of(path: string, earlier: Pick<EarlierAudio, "sha256" | "path" | "start"> | null): string {
    const source = new FileSource(path);
    try {
      const places = earlier ? this.shared(source, earlier) : [];
      const last = places.at(-1);
      const hash = last?.hash.copy() ?? createHash("sha256");
      const apart = Math.max(APART_BYTES, Math.ceil(source.size / MOST_PLACES / PIECE_BYTES) * PIECE_BYTES);
      for (let at = last?.bytes ?? 0; at < source.size; at += PIECE_BYTES) {
        if (at > (places.at(-1)?.bytes ?? 0) && at % apart === 0) places.push({ bytes: at, hash: hash.copy() });
        const bytes = this.piece.subarray(0, Math.min(PIECE_BYTES, source.size - at));
        source.read(at, bytes);
        hash.update(bytes);
        this.hashed += bytes.length;
      }
      const digest = hash.digest("hex");
      this.remember(digest, places);
      return digest;
    } finally {
      source.close();
    }
  }

  /** The places of an earlier file up to which another one is the same; none where it cannot be read. */
  private shared(
    source: ByteSource,
    { sha256, path, start }: Pick<EarlierAudio, "sha256" | "path" | "start">,
  ): Place[] {
    const places = this.known.get(sha256);
    if (!places || places.length === 0) return [];
    let earlier: FileSource | null = null;
    const shared: Place[] = [];
    try {
      earlier = new FileSource(path);
      let at = 0;
      for (const place of places) {
        if (place.bytes > source.size) break;
        for (; at < place.bytes; at += PIECE_BYTES) {
          source.read(at, this.piece);
          earlier.read(start + at, this.other);
          if (Buffer.compare(this.piece, this.other) !== 0) return shared;
        }
        shared.push(place);
      }
    } catch {
      // Gone or too short: what was compared until then counts.
    } finally {
      earlier?.close();
    }
    return shared;
  }

  private remember(digest: string, places: readonly Place[]): void {
    // The last one used comes last.
    this.known.delete(digest);
    this.known.set(digest, places);
    for (const oldest of this.known.keys()) {
      if (this.known.size <= MOST_FILES) return;
      this.known.delete(oldest);
    }
  }
}
