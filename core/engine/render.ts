import type { Session } from "../session/document";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { QUANTUM } from "../devices/device";
import { Arena } from "./arena";
import type { AudioLibrary } from "./audio-reader";
import type { Graph } from "./graph";
import { compile } from "./graph";
import { contentEnd } from "./source";
import { TAIL_CAP_S, TailWatch } from "./tail";
import type { Tap } from "./tap";

/** Takes a tap's audio in order, `count` frames at `offset` of both buffers, which are reused after the call. */
export type Sink = (left: Float32Array, right: Float32Array, offset: number, count: Frames) => void;

export interface RenderRequest {
  readonly session: Session;
  readonly taps: readonly { readonly tap: Tap; readonly sink: Sink }[];
  readonly library: AudioLibrary;
  /** First frame written. Rendering itself always starts at the session's zero, so that every state is right. */
  readonly from: Frames;
  /** Where the content ends and a tail may follow. */
  readonly to: Frames;
  readonly tail: "measured" | "none";
  /** A whole number of quanta; changes speed only, never a sample. */
  readonly blockFrames?: Frames;
  /** Called after each block with timeline frames done; returning false cancels. */
  readonly onBlock?: (done: Frames) => boolean;
  /** A millisecond clock; when given, the load of every track is measured. */
  readonly now?: () => number;
}

export interface RenderResult {
  /** Frames each sink got. */
  readonly frames: Frames;
  /** Milliseconds of computing by track, when a clock was given. */
  readonly spent: ReadonlyMap<string, number>;
}

export class RenderCancelled extends Error {
  override readonly name = "RenderCancelled";
}

export const DEFAULT_BLOCK: Frames = 512;

/**
 * Renders all taps in one pass from the session's zero. Every sink gets the same number of frames from the same
 * first frame, latency removed. Throws `MissingAudio`, `BrokenDevice` or `RenderCancelled`; sinks are then worthless.
 */
export function render(request: RenderRequest): RenderResult {
  const { session, from, to, now } = request;
  const block = request.blockFrames ?? DEFAULT_BLOCK;
  if (block <= 0 || block % QUANTUM !== 0) throw new RangeError(`a block is a whole number of ${QUANTUM} frames`);
  const graph = Arena.for((arena) =>
    compile(session, request.taps.map((t) => t.tap), { library: request.library, maxFrames: block }, arena),
  );
  const signals = graph.outlets.map((o) => o.signal);
  const tail = request.tail === "measured" ? new TailWatch(to, session.rate) : null;
  const hardEnd = tail ? to + TAIL_CAP_S * session.rate : to;

  let written = 0;
  for (let clock = 0; ; clock += block) {
    for (const node of graph.nodes) {
      const began = now ? now() : 0;
      node.render(clock, block);
      if (now) node.spent += now() - began;
    }
    for (const { signal, inflows } of graph.outlets) graph.sums.into(signal, inflows, block);

    const start = clock - graph.latency;
    const tailEnd = tail ? tail.end(signals, start, block) : null;
    const end = Math.min(start + block, hardEnd, tailEnd ?? Infinity);
    const first = Math.max(from, start);
    if (end > first) {
      request.taps.forEach(({ sink }, i) => {
        const signal = graph.outlets[i]?.signal;
        if (signal) sink(signal.left, signal.right, first - start, end - first);
      });
      written += end - first;
    }
    if (request.onBlock && !request.onBlock(Math.max(0, end))) throw new RenderCancelled("The render was cancelled.");
    if (tailEnd !== null || end >= hardEnd) break;
  }
  return { frames: written, spent: spentByTrack(graph) };
}

function spentByTrack(graph: Graph): ReadonlyMap<string, number> {
  const spent = new Map<string, number>();
  for (const node of graph.nodes) spent.set(node.track.id, (spent.get(node.track.id) ?? 0) + node.spent);
  return spent;
}

/** First frame after the last thing placed on any track that sounds. */
export function sessionEnd(session: Session): Frames {
  const tempo = tempoMap(session.tempo, session.rate);
  return session.tracks.reduce((end, t) => (t.parked || t.mute ? end : Math.max(end, contentEnd(session, t, tempo))), 0);
}
