import type { ExchangedSignal, GivenTrack } from "./exchange";
import type { Graph } from "./graph";
import { wholeNode } from "./graph";

/** The signals of given tracks, in an order both sides agree on. */
export const givenSignals = (graph: Graph, given: readonly GivenTrack[]): readonly ExchangedSignal[] =>
  given.flatMap(({ track, body }) => {
    const node = wholeNode(graph, track);
    return body ? [node.out, node.body] : [node.out];
  });
