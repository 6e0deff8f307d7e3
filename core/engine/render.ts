import type { Session } from "../session/document";
import { tempoMap } from "../time/tempo";
import type { Frames } from "../units";
import { QUANTUM } from "../devices/device";
import { hoursTooLong } from "../limits";
import { Arena } from "../kernels/arena";
import type { AudioLibrary } from "./library";
import { type Checkpoint, begin, checkpointOf, partsOf } from "./checkpoint";
import type { Graph } from "./graph";
import type { PathNode } from "./path";
import type { HelperWork, SignalExchange } from "./exchange";
import { begunSums, givenSignals } from "./given";
import { compile, wholeNode } from "./graph";
import { contentEnd } from "./source";
import type { Tail } from "./tail";
import { TAIL_CAP_S, TailWatch, tailFloor } from "./tail";
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
  readonly tail: Tail;
  /**
   * Where a range ends inside the session: nothing placed after it is played, so that only what rings is in the tail.
   */
  readonly endAt?: Frames;
  /**
   * So many frames more are handed out behind the end, wherever it is found: what a converter hears of what follows.
   */
  readonly beyond?: Frames;
  /** Which pass in real time this is; without it devices that only work in real time are refused. */
  readonly pass?: number;
  /** What is handed out is at least this late: renders that share the taps of a pass give the same. */
  readonly latency?: Frames;
  /**
   * Where another render was, of a session that is the same up to there (`prefixFingerprints`): this one begins there.
   */
  readonly resume?: Checkpoint;
  /** Called with where this render is, every `every` frames of the engine's clock: a whole number of blocks. */
  readonly checkpoints?: { readonly every: Frames; readonly take: (checkpoint: Checkpoint) => void };
  /** A whole number of quanta; changes speed only, never a sample. */
  readonly blockFrames?: Frames;
  /** Called after each block with timeline frames done; returning false cancels. */
  readonly onBlock?: (done: Frames) => boolean;
  /** A millisecond clock; when given, the load of every track is measured. */
  readonly now?: () => number;
  /**
   * Renders of one pass that share its taps between threads must end together. Called with the end this render
   * found for its own taps; answers with the end proposed by all so far, and whether everyone has agreed on it.
   */
  readonly agreeOnEnd?: (end: Frames) => Agreement;
  /**
   * Helpers compute some tracks and all they need (`helpRender`), and give signals and sums of them. This render finds
   * the end for all.
   */
  readonly helpers?: readonly { readonly work: HelperWork; readonly exchange: SignalExchange }[];
}

export interface Agreement {
  readonly end: Frames;
  readonly settled: boolean;
}

export interface RenderResult {
  /** Frame of the timeline that each sink got first: `from`, or later where it was resumed. */
  readonly first: Frames;
  /** Frames each sink got, with those beyond the end. */
  readonly frames: Frames;
  /** Milliseconds of computing by track, when a clock was given. */
  readonly spent: ReadonlyMap<string, number>;
}

export class RenderCancelled extends Error {
  override readonly name = "RenderCancelled";
}

/** A render that would go on for longer than anything that is meant. */
export class TooLong extends Error {
  override readonly name = "TooLong";
  constructor(readonly hours: number) {
    super(`This is not rendered: it would end after ${Math.round(hours)} hours.`);
  }
}

/**
 * What a render works on at once: larger blocks no longer lie in the processor's nearest memory, smaller ones spend
 * their time going from node to node.
 */
export const DEFAULT_BLOCK: Frames = 1024;
/** What is played live works on a quarter of it: a hand is heard that much sooner. */
export const PLAYBACK_BLOCK: Frames = 256;

/**
 * Renders all taps in one pass from the session's zero, or from a checkpoint. Every sink gets the same number of frames
 * from the same first frame, latency removed. Throws `TooLong`, `MissingAudio`, `BrokenDevice`, `RealTimeOnly`,
 * `CheckpointMisfit` or `RenderCancelled`; sinks are then worthless.
 */
export function render(request: RenderRequest): RenderResult {
  const { session, from, to, now, agreeOnEnd, beyond = 0 } = request;
  const block = request.blockFrames ?? DEFAULT_BLOCK;
  const hours = hoursTooLong(to, session.rate);
  if (hours !== null) throw new TooLong(hours);
  if (block <= 0 || block % QUANTUM !== 0) throw new RangeError(`a block is a whole number of ${QUANTUM} frames`);
  const { helpers = [] } = request;
  const { graph, sums } = Arena.for((arena) => ({
    sums: helpers.map(({ work }) => begunSums(work, arena, block)),
    graph: compile(
      session,
      request.taps.map((t) => t.tap),
      {
        library: request.library,
        maxFrames: block,
        ...(request.endAt === undefined ? {} : { endAt: request.endAt }),
        ...(request.pass === undefined ? {} : { pass: request.pass }),
        ...(request.latency === undefined ? {} : { latency: request.latency }),
      },
      arena,
    ),
  }));
  const elsewhere = new Set(helpers.flatMap(({ work }) => work.tracks));
  const nodes = graph.nodes.filter((n) => !n.whole || !elsewhere.has(n.track.id));
  const takes = helpers.map(({ work, exchange }, h) => {
    const own = sums[h] ?? [];
    const signals = givenSignals(graph, work, own);
    work.sums.forEach(({ track, inflows }, i) => {
      const node = wholeNode(graph, track);
      node.begun = own[i] ?? null;
      node.inflows = node.inflows.slice(inflows);
    });
    return (number: number): Frames => exchange.take(number, signals, block);
  });
  const signals = graph.outlets.map((o) => o.signal);
  const tail = request.tail === "none" ? null : new TailWatch(to, session.rate, tailFloor(request.tail));
  const hardEnd = tail ? to + TAIL_CAP_S * session.rate : to;

  const { resume, checkpoints } = request;
  const watched = tail ? tail.loudest : to;
  const parts = partsOf(graph, nodes);
  const { clock: begun, first } = begin(graph, parts, { resume, block, from, watched });
  let next = first;
  const handOut = (start: Frames, end: Frames) => {
    if (end <= next) return;
    request.taps.forEach(({ sink }, i) => {
      const signal = signals[i];
      if (signal) sink(signal.left, signal.right, next - start, end - next);
    });
    next = end;
  };
  /** The frame behind the last one handed out, once the end is known. */
  let last: Frames | null = null;
  for (let clock = begun; ; clock += block) {
    if (checkpoints && clock > begun && clock % checkpoints.every === 0 && clock - graph.latency <= watched)
      checkpoints.take(checkpointOf(graph, clock, block, parts));
    const heard = takes.map((take) => take((clock - begun) / block));
    renderBlock(graph, clock, block, now, nodes);
    for (const last of heard) tail?.heard(last);
    const start = clock - graph.latency;
    const stop = start + block;
    const ownEnd = (): Frames | null => {
      const end = tail ? (tail.end(signals, start, block) ?? Infinity) : Infinity;
      return Math.min(end, hardEnd) <= stop ? Math.min(end, hardEnd) : null;
    };
    if (last === null) {
      let end = ownEnd();
      while (end !== null && agreeOnEnd) {
        const agreement = agreeOnEnd(end);
        if (agreement.settled) break;
        tail?.raise(agreement.end);
        end = ownEnd();
      }
      if (end !== null) last = end + beyond;
    }
    const over = last !== null && last <= stop;
    for (const { exchange } of helpers) {
      if (over && last !== null) exchange.finish(last);
      else exchange.passed(Math.max(0, stop));
    }
    handOut(start, Math.min(last ?? stop, stop));
    if (request.onBlock && !request.onBlock(Math.max(0, Math.min(last ?? stop, stop))))
      throw new RenderCancelled("The render was cancelled.");
    if (over) break;
  }
  return { first, frames: next - first, spent: spentByTrack(graph) };
}

/** Runs every node and sums every outlet for the block that starts at engine clock `clock`. */
export function renderBlock(
  graph: Graph,
  clock: Frames,
  frames: Frames,
  now?: () => number,
  nodes: readonly PathNode[] = graph.nodes,
): void {
  for (const node of nodes) {
    const began = now ? now() : 0;
    node.render(clock, frames);
    if (now) node.spent += now() - began;
  }
  for (const { signal, inflows } of graph.outlets) graph.sums.into(signal, inflows, clock, frames);
}

/** Milliseconds of computing by track. */
export function spentByTrack(graph: Graph): ReadonlyMap<string, number> {
  const spent = new Map<string, number>();
  for (const node of graph.nodes) spent.set(node.track.id, (spent.get(node.track.id) ?? 0) + node.spent);
  return spent;
}

/**
 * First frame after the last thing placed on any track that sounds, also if only through a send before its muted fader.
 */
export function sessionEnd(session: Session): Frames {
  const tempo = tempoMap(session.tempo, session.rate);
  const sounds = (t: Session["tracks"][number]) =>
    !t.parked && (!t.mute || t.sends.some((s) => s.position === "before fader"));
  return session.tracks.reduce((end, t) => (sounds(t) ? Math.max(end, contentEnd(session, t, tempo)) : end), 0);
}
