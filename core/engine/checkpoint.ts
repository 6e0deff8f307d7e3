import type { ArenaState } from "../kernels/arena";
import type { Frames } from "../units";
import type { Graph } from "./graph";
import { IN_CLIP } from "./graph";

/** Everything that a render remembers at one place: with it, another goes on from there to the same samples. */
export interface Checkpoint {
  /** Frames that have gone through the graph. */
  readonly clock: Frames;
  /** Frames of a block; arrays are as long as one. */
  readonly block: Frames;
  readonly state: ArenaState;
}

export const checkpointOf = (graph: Graph, clock: Frames, block: Frames): Checkpoint => ({
  ...{ clock, block },
  state: graph.arena.save(),
});

/** Whether a graph is built as the one was that a checkpoint is of. */
export function fitsCheckpoint({ arena }: Graph, { state }: Checkpoint): boolean {
  return [...arena.names].every((name) => {
    const part = state.get(name);
    // A clip that is not known there has not begun: its effects are as they were built.
    return part ? arena.fits(name, part) : name.includes(IN_CLIP);
  });
}

/**
 * Brings a graph that has not run yet to where another was, which it fits; the session may differ from that one's in
 * what comes later.
 */
export function resume({ arena }: Graph, { state }: Checkpoint): void {
  for (const name of arena.names) {
    const part = state.get(name);
    if (part) arena.load(name, part);
  }
}

/** Bytes of a page. Pages of zeros are left out: most of what delays and reverbs hold is zero. */
const PAGE_BYTES = 1024;

/** The pages of a part that hold more than zeros, each as its number. */
function pagesOf(bytes: Uint8Array): readonly number[] {
  const words = new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2);
  const pages: number[] = [];
  for (let page = 0; page * PAGE_BYTES < bytes.length; page++) {
    const end = Math.min(words.length, ((page + 1) * PAGE_BYTES) >> 2);
    let word = (page * PAGE_BYTES) >> 2;
    while (word < end && words[word] === 0) word++;
    // Bytes behind the last whole word are few: they are kept.
    if (word < end || 4 * end < Math.min(bytes.length, (page + 1) * PAGE_BYTES)) pages.push(page);
  }
  return pages;
}

const pageOf = (bytes: Uint8Array, page: number): Uint8Array =>
  bytes.subarray(page * PAGE_BYTES, (page + 1) * PAGE_BYTES);

/** A part in the list at the head of a packed state: its name, its bytes, its numbers, its pages that are there. */
type PackedPart = readonly [name: string, bytes: number, numbers: number, pages: readonly number[]];

const ascii = (text: string): Uint8Array => Uint8Array.from(text, (c) => c.charCodeAt(0));

/**
 * A checkpoint's state as bytes: the length of a list of its parts (four bytes, little-endian), that list as JSON in
 * ASCII, all numbers as doubles, then the pages of the parts.
 */
export function packState(state: ArenaState): Uint8Array<ArrayBuffer> {
  const parts = [...state].map(([name, part]) => ({ name, ...part, pages: pagesOf(part.bytes) }));
  // Names hold ids, which may hold any letter.
  const list = parts.map((p): PackedPart => [encodeURIComponent(p.name), p.bytes.length, p.numbers.length, p.pages]);
  const head = ascii(JSON.stringify(list));
  const numbers = Float64Array.from(parts.flatMap((p) => p.numbers));
  const size = parts.reduce((sum, { bytes, pages }) => sum + pages.reduce((n, p) => n + pageOf(bytes, p).length, 0), 0);
  const all = new Uint8Array(4 + head.length + numbers.byteLength + size);
  new DataView(all.buffer).setUint32(0, head.length, true);
  all.set(head, 4);
  all.set(new Uint8Array(numbers.buffer), 4 + head.length);
  let at = 4 + head.length + numbers.byteLength;
  for (const { bytes, pages } of parts)
    for (const page of pages) {
      const piece = pageOf(bytes, page);
      all.set(piece, at);
      at += piece.length;
    }
  return all;
}

/** What `packState` packed. The bytes are known to be whole. */
export function unpackState(all: Uint8Array): ArenaState {
  const headEnd = 4 + new DataView(all.buffer, all.byteOffset).getUint32(0, true);
  const head = Array.from(all.subarray(4, headEnd), (byte) => String.fromCharCode(byte)).join("");
  const list = JSON.parse(head) as readonly PackedPart[];
  const count = list.reduce((sum, [, , n]) => sum + n, 0);
  const numbers = new Float64Array(new Uint8Array(all.subarray(headEnd, headEnd + 8 * count)).buffer);
  let [at, place] = [headEnd + 8 * count, 0];
  return new Map(
    list.map(([name, size, n, pages]) => {
      const part = { bytes: new Uint8Array(size), numbers: [...numbers.subarray(place, place + n)] };
      for (const page of pages) {
        const into = pageOf(part.bytes, page);
        into.set(all.subarray(at, at + into.length));
        at += into.length;
      }
      place += n;
      return [decodeURIComponent(name), part];
    }),
  );
}
