import { type Checkpoint, packState, unpackState } from "../core/engine/checkpoint";
import type { Frames } from "../core/units";

/**
 * A checkpoint in memory that the page and all its workers share: those pages of the packed state that hold more than
 * zeros, which most of it is. Layout, numbers of four bytes: bytes of the packed state, count of pages, which they are,
 * then the pages.
 */
export interface SharedCheckpoint {
  readonly clock: Frames;
  readonly block: Frames;
  readonly memory: SharedArrayBuffer;
}

const PAGE_BYTES = 4096;

/** Whether nothing but zeros lies between two bytes; both are multiples of four. */
function isZero(words: Uint32Array, from: number, to: number): boolean {
  for (let i = from >> 2; i < to >> 2; i++) if (words[i] !== 0) return false;
  return true;
}

export function shareCheckpoint({ clock, block, state }: Checkpoint): SharedCheckpoint {
  const packed = packState(state);
  const padded = new Uint8Array(Math.ceil(packed.length / PAGE_BYTES) * PAGE_BYTES);
  padded.set(packed);
  const words = new Uint32Array(padded.buffer);
  const pages: number[] = [];
  for (let at = 0; at < padded.length; at += PAGE_BYTES)
    if (!isZero(words, at, at + PAGE_BYTES)) pages.push(at / PAGE_BYTES);
  const head = 4 * (2 + pages.length);
  const memory = new SharedArrayBuffer(head + pages.length * PAGE_BYTES);
  new Uint32Array(memory, 0, 2 + pages.length).set([packed.length, pages.length, ...pages]);
  const bytes = new Uint8Array(memory);
  for (const [i, page] of pages.entries())
    bytes.set(padded.subarray(page * PAGE_BYTES, (page + 1) * PAGE_BYTES), head + i * PAGE_BYTES);
  return { clock, block, memory };
}

export function openCheckpoint({ clock, block, memory }: SharedCheckpoint): Checkpoint {
  const [length = 0, count = 0] = new Uint32Array(memory, 0, 2);
  const head = 4 * (2 + count);
  const packed = new Uint8Array(Math.ceil(length / PAGE_BYTES) * PAGE_BYTES);
  for (const [i, page] of new Uint32Array(memory, 8, count).entries())
    packed.set(new Uint8Array(memory, head + i * PAGE_BYTES, PAGE_BYTES), page * PAGE_BYTES);
  return { clock, block, state: unpackState(packed.subarray(0, length)) };
}
