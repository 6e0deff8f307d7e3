import type { Frames } from "../units";

/** Frames that one pair of an overview stands for. */
export const PEAK_FRAMES: Frames = 256;

/** Bytes taken at once: a few minutes' worth. */
const PIECE = 1 << 16;

/**
 * An overview while it grows: lowest and highest value of every `PEAK_FRAMES` frames, as signed bytes, rounded
 * outwards.
 */
export class PeakPairs {
  /** Pieces that are full, and the one that fills: what grows by being copied would leave as much again behind. */
  private readonly full: Int8Array[] = [];
  private filling = new Int8Array(PIECE);
  private length = 0;

  push(low: number, high: number): void {
    if (this.length === PIECE) {
      this.full.push(this.filling);
      this.filling = new Int8Array(PIECE);
      this.length = 0;
    }
    this.filling[this.length++] = Math.max(-127, Math.floor(low * 127));
    this.filling[this.length++] = Math.min(127, Math.ceil(high * 127));
  }

  /** Goes on from what another had come to. */
  load(bytes: Uint8Array): void {
    const all = new Int8Array(bytes.buffer, bytes.byteOffset, bytes.length);
    this.full.length = 0;
    const full = Math.floor(all.length / PIECE);
    for (let i = 0; i < full; i++) this.full.push(all.slice(i * PIECE, (i + 1) * PIECE));
    this.filling = new Int8Array(PIECE);
    this.filling.set(all.subarray(full * PIECE));
    this.length = all.length - full * PIECE;
  }

  bytes(): Uint8Array {
    const bytes = new Int8Array(this.full.length * PIECE + this.length);
    this.full.forEach((piece, i) => bytes.set(piece, i * PIECE));
    bytes.set(this.filling.subarray(0, this.length), this.full.length * PIECE);
    return new Uint8Array(bytes.buffer);
  }
}
