import type { Frames } from "../units";
import { Arena } from "../kernels/arena";
import type { HelperWork, SignalExchange } from "./exchange";
import { begin, checkpointOf, partsOf } from "./checkpoint";
import { begunSums, givenSignals } from "./given";
import { compile, wholeNode } from "./graph";
import type { RenderRequest, Sink } from "./render";
import { DEFAULT_BLOCK, renderBlock } from "./render";
import { TailWatch, tailFloor } from "./tail";

/** Audio of one tap that waits until it is certain that the pass does not end before it. */
interface Waiting {
  readonly start: Frames;
  readonly taps: readonly { readonly left: Float32Array; readonly right: Float32Array }[];
}

/**
 * A helper's part of a pass whose lead is elsewhere: renders its own taps, and gives the lead the signals and sums of
 * `work`. What is computed here is all upstream of both. Sinks get the frames that the lead's end allows. Throws what a
 * render throws.
 */
export function helpRender(
  request: Omit<RenderRequest, "agreeOnEnd" | "onBlock" | "now">,
  work: HelperWork,
  exchange: SignalExchange,
): Frames {
  const { session, from, to } = request;
  const block = request.blockFrames ?? DEFAULT_BLOCK;
  const { graph, begun } = Arena.for((arena) => ({
    begun: begunSums(work, arena, block),
    graph: compile(
      session,
      request.taps.map((t) => t.tap),
      {
        library: request.library,
        maxFrames: block,
        tracks: [...work.given, ...work.sums].map((g) => g.track),
        ...(request.endAt === undefined ? {} : { endAt: request.endAt }),
        ...(request.pass === undefined ? {} : { pass: request.pass }),
        ...(request.latency === undefined ? {} : { latency: request.latency }),
      },
      arena,
    ),
  }));
  const gives = givenSignals(graph, work, begun);
  // Where a sum is begun, its track and all that flows into it stand in the graph; most of them are the lead's to
  // render.
  const own = new Set(work.tracks);
  const nodes = graph.nodes.filter((n) => !n.whole || own.has(n.track.id));
  const sums = work.sums.map(({ track, inflows }) => wholeNode(graph, track).inflows.slice(0, inflows));
  const signals = graph.outlets.map((o) => o.signal);
  const watch = new TailWatch(to, session.rate, tailFloor(request.tail));
  const { resume, checkpoints } = request;
  const watched = request.tail === "none" ? to : watch.loudest;
  const parts = partsOf(graph, nodes, sums.flat());
  const { clock: first, first: firstFrame } = begin(graph, parts, { resume, block, from, watched });
  let waiting: Waiting[] = [];
  let next = firstFrame;

  const write = (start: Frames, taps: Waiting["taps"], end: Frames) => {
    if (end <= next) return;
    request.taps.forEach(({ sink }: { readonly sink: Sink }, i) => {
      const audio = taps[i];
      if (audio) sink(audio.left, audio.right, next - start, end - next);
    });
    next = end;
  };
  const flush = () => {
    const { safe } = exchange;
    for (const { start, taps } of waiting) write(start, taps, Math.min(safe, start + block));
    waiting = waiting.filter(({ start }) => start + block > safe);
  };

  for (let number = 0; ; number++) {
    const clock = first + number * block;
    const start = clock - graph.latency;
    // What is still missing in front of the end is rendered even when the lead has all it needs.
    if (exchange.over && start >= exchange.safe) break;
    if (checkpoints && number > 0 && clock % checkpoints.every === 0 && start <= watched)
      checkpoints.take(checkpointOf(graph, clock, block, parts));
    renderBlock(graph, clock, block, undefined, nodes);
    sums.forEach((inflows, i) => {
      const sum = begun[i];
      if (sum) graph.sums.begin(sum, inflows, clock, block);
    });
    watch.end(signals, start, block);
    if (!exchange.over) exchange.give(number, gives, block, watch.loudest);
    if (start + block <= Math.min(to, exchange.over ? exchange.safe : to)) write(start, signals, start + block);
    else
      waiting.push({ start, taps: signals.map(({ left, right }) => ({ left: left.slice(), right: right.slice() })) });
    flush();
  }
  flush();
  return next - firstFrame;
}
