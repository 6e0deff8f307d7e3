import type { ArenaState } from "../kernels/arena";
import type { Frames } from "../units";
import type { Graph } from "./graph";
import type { Inflow } from "./path";
import { IN_CLIP } from "./graph";

/** Everything that a render remembers at one place: with it, another goes on from there to the same samples. */
export interface Checkpoint {
  /** Frames that have gone through the graph. */
  readonly clock: Frames;
  /** Frames of a block; arrays are as long as one. */
  readonly block: Frames;
  /** Frames by which what is handed out is late. */
  readonly latency: Frames;
  /** Of a pass in several threads, what all of them remember. */
  readonly state: ArenaState;
}

/** A checkpoint is of another render than the one that it was given to. */
export class CheckpointMisfit extends Error {
  override readonly name = "CheckpointMisfit";
  constructor() {
    super("The checkpoint is of another render.");
  }
}

/** Parts of the arena that change while a render runs these nodes, all that flows into them, and the outlets. */
export const partsOf = ({ nodes: all, outlets }: Graph, nodes = all, inflows: readonly Inflow[] = []) => [
  ...nodes.flatMap((n) => [...n.parts, ...n.inflows.flatMap(({ part }) => part ?? [])]),
  ...inflows.flatMap(({ part }) => part ?? []),
  ...outlets.flatMap((o) => o.parts),
];

export const checkpointOf = (
  graph: Graph,
  clock: Frames,
  block: Frames,
  parts: readonly string[] = partsOf(graph),
): Checkpoint => ({ clock, block, latency: graph.latency, state: graph.arena.save(parts) });

/** Whether a graph, of which `parts` are run, is built as the one was that a checkpoint is of. */
function fits({ arena, latency }: Graph, parts: readonly string[], checkpoint: Checkpoint): boolean {
  if (checkpoint.latency !== latency) return false;
  return parts.every((name) => {
    const part = checkpoint.state.get(name);
    // A clip that is not known there has not begun: its effects are as they were built.
    return part ? arena.fits(name, part) : name.includes(IN_CLIP);
  });
}

/**
 * Brings a graph that has not run yet to where another was; the session may differ from that one's in what comes later.
 * Throws `CheckpointMisfit`.
 */
export function resume(
  graph: Graph,
  checkpoint: Checkpoint,
  block: Frames,
  parts: readonly string[] = partsOf(graph),
): void {
  if (checkpoint.block !== block || !fits(graph, parts, checkpoint)) throw new CheckpointMisfit();
  for (const name of parts) {
    const part = checkpoint.state.get(name);
    if (part) graph.arena.load(name, part);
  }
}

/** Where a render that begins with a checkpoint stands. */
export interface Begun {
  /** Frames that have gone through the graph. */
  readonly clock: Frames;
  /** Frame of the timeline that is handed out first. */
  readonly first: Frames;
}

/**
 * Begins a render that hands out frames from `from` on, with the checkpoint where there is one. How quiet it is behind
 * `watched` is not remembered by the graph, so no checkpoint lies behind it. Throws `CheckpointMisfit`.
 */
export function begin(
  graph: Graph,
  parts: readonly string[],
  {
    resume: before,
    block,
    from,
    watched,
  }: {
    readonly resume: Checkpoint | undefined;
    readonly block: Frames;
    readonly from: Frames;
    readonly watched: Frames;
  },
): Begun {
  if (!before) return { clock: 0, first: from };
  const first = before.clock - before.latency;
  if (first < from || first > watched) throw new CheckpointMisfit();
  resume(graph, before, block, parts);
  return { clock: before.clock, first };
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
