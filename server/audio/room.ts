import { statfsSync } from "node:fs";
import { dirname } from "node:path";
import { ROOM_KEPT_BYTES } from "../limits";

const gigabytes = (bytes: number): string => `${(Math.max(0, bytes) / 1e9).toFixed(1)} GB`;

/** The disk has no more room than is kept free on it. */
export class NoRoom extends Error {
  override readonly name = "NoRoom";
}

/** Bytes that may still be written in a folder; what is kept free is taken off. */
export function roomIn(folder: string): number {
  const { bavail, bsize } = statfsSync(folder);
  return bavail * bsize - ROOM_KEPT_BYTES;
}

/** Bytes written between two looks at the disk. */
const LOOK_EVERY_BYTES = 32 << 20;

/**
 * Watches the room on the disk of a file while it is written: others write at the same time, so that what was free at
 * the beginning may be gone.
 */
export class RoomWatch {
  private since = LOOK_EVERY_BYTES;
  private readonly folder: string;

  constructor(path: string) {
    this.folder = dirname(path);
  }

  /** Call before `bytes` are written. Throws `NoRoom`. */
  take(bytes: number): void {
    this.since += bytes;
    if (this.since < LOOK_EVERY_BYTES) return;
    this.since = 0;
    this.want(bytes);
  }

  /** Throws `NoRoom` where `bytes` do not fit. */
  want(bytes: number): void {
    const room = roomIn(this.folder);
    if (bytes > room)
      throw new NoRoom(`The disk is too full: ${gigabytes(bytes)} would be written, ${gigabytes(room)} can be.`);
  }
}
